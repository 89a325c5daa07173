/** Ids of the operations that server and interface ask for by themselves; all others are found in the catalogue. */
export const OPERATION_IDS = {
  captureImport: 'capture.import',
  captureLive: 'capture.live',
  captureLineLaser: 'capture.line-laser',
  checkCompare: 'check.compare',
  checkMeasure: 'check.measure',
  cleanCut: 'clean.cut',
  cleanFrames: 'clean.frames',
  cleanRescale: 'clean.rescale',
  deliverExport: 'deliver.export',
  mendHoles: 'mend.holes',
  registerAutomatic: 'register.automatic',
  registerChoose: 'register.choose',
  registerExclude: 'register.exclude',
  registerLock: 'register.lock',
  registerMoved: 'register.moved',
  registerPairs: 'register.pairs',
} as const;
