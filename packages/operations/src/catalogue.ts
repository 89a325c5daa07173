import { GeometryError } from '@amber-knit/core/runtime';
import { captureImport } from './capture-import.js';
import { captureLineLaser } from './capture-line-laser.js';
import { captureLive } from './capture-live.js';
import { checkCompare } from './check-compare.js';
import { checkInspect } from './check-inspect.js';
import { checkMeasure } from './check-measure.js';
import { checkPlacings } from './check-placings.js';
import { checkSurroundings } from './check-surroundings.js';
import { checkUpright } from './check-upright.js';
import { checkWalls } from './check-walls.js';
import { cleanCut } from './clean-cut.js';
import { cleanFrames } from './clean-frames.js';
import { cleanRefine } from './clean-refine.js';
import { cleanRescale } from './clean-rescale.js';
import { cleanStrays } from './clean-strays.js';
import { cleanSupport } from './clean-support.js';
import { cleanThin } from './clean-thin.js';
import { deliverCad } from './deliver-cad.js';
import { deliverExport } from './deliver-export.js';
import { deliverPrint } from './deliver-print.js';
import { deliverPoints } from './deliver-points.js';
import { deliverRecognition } from './deliver-recognition.js';
import { deliverRender } from './deliver-render.js';
import { deliverTurning } from './deliver-turning.js';
import { deliverWeb } from './deliver-web.js';
import { fuseSurface } from './fuse-surface.js';
import { fuseTrust } from './fuse-trust.js';
import { mendAll } from './mend-all.js';
import { mendBringIn } from './mend-bring-in.js';
import { mendByHand } from './mend-by-hand.js';
import { mendDenoise } from './mend-denoise.js';
import { mendEven } from './mend-even.js';
import { mendFaults } from './mend-faults.js';
import { mendHoles } from './mend-holes.js';
import { mendOpenings } from './mend-openings.js';
import { mendReduce } from './mend-reduce.js';
import type { Operation } from './operation.js';
import { registerAutomatic } from './register-automatic.js';
import { registerChoose } from './register-choose.js';
import { registerExclude } from './register-exclude.js';
import { registerLock } from './register-lock.js';
import { registerFine } from './register-fine.js';
import { registerMoved } from './register-moved.js';
import { registerPairs } from './register-pairs.js';
import { registerScale } from './register-scale.js';
import { textureBake } from './texture-bake.js';
import { textureByHand } from './texture-by-hand.js';
import { textureMap } from './texture-map.js';

/** Every operation, in working order. */
export const OPERATIONS = [
  captureImport,
  captureLive,
  captureLineLaser,
  cleanSupport,
  cleanStrays,
  cleanCut,
  cleanFrames,
  cleanRefine,
  cleanThin,
  cleanRescale,
  registerAutomatic,
  registerFine,
  registerScale,
  registerChoose,
  registerPairs,
  registerMoved,
  registerExclude,
  registerLock,
  fuseTrust,
  fuseSurface,
  mendBringIn,
  mendAll,
  mendFaults,
  mendHoles,
  mendOpenings,
  mendByHand,
  mendDenoise,
  mendReduce,
  mendEven,
  textureMap,
  textureByHand,
  textureBake,
  checkInspect,
  checkUpright,
  checkWalls,
  checkMeasure,
  checkCompare,
  checkSurroundings,
  checkPlacings,
  deliverExport,
  deliverPrint,
  deliverWeb,
  deliverRender,
  deliverCad,
  deliverRecognition,
  deliverTurning,
  deliverPoints,
] as unknown as readonly Operation[];

/** The operation of that id; ledgers may name one that is no longer there. */
export const operationOf = ({ operationId }: { operationId: string }): Operation | undefined =>
  OPERATIONS.find((o) => o.id === operationId);

/** @throws GeometryError `invalid-parameter` if there is no such operation */
export function findOperation(id: string): Operation {
  const found = operationOf({ operationId: id });
  if (!found) {
    throw new GeometryError(
      'invalid-parameter',
      `There is no operation "${id}". Known: ${OPERATIONS.map((o) => o.id).join(', ')}.`,
    );
  }
  return found;
}
