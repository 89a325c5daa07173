import { DeviceSession, type DeviceFrame, type DeviceInfo, type DeviceSettings } from '@amber-knit/device-protocol';
import type { DepthFrame } from '@amber-knit/core/geometry';
import { decodeCapture } from '@amber-knit/core/stored';
import { findDots } from '@amber-knit/core/marker-dots';
import type { Mat4, Vec3 } from '@amber-knit/core/math';
import { aimedAt, frameCloud, removeSupportPlane } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import {
  CoverageCounter,
  LiveScan,
  measureExposure,
  measureStandOff,
  type LiveFrameResult,
  type LiveScanSetting,
} from '@amber-knit/core/tracking';
import { learnEmpty, markedFrame, placeMarkedFrames, readStopMark } from '@amber-knit/core/turntable';
import type { TrackBy } from '@amber-knit/planning';
import type { FromCapture, FrameReport, ToCapture } from './capture-messages';
import type { KeepReport, KeepRequest } from './frame-keeper.worker';
import { KeptFrames } from './kept-frames';
import { colorTile, placesInPicture, sensorTile } from './tile-pictures';
import { TurntableRun } from './turntable-run';

/**
 * Live capture off the page's thread: takes frames from the device, tracks and fuses them, hands splats and figures to
 * the page, and gives the frames worth keeping to the keeper, which stores them on the server at once.
 */

/** Width of the camera tiles, pixels. */
const TILE = 320;
/** Frames that the empty support is learned from. */
const EMPTY_FRAMES = 6;
/** Frames that a device may send ahead: it never has to wait while one is worked on. */
const CREDIT = 3;
/** Pictures and figures go to the page no more often than this, ms: more than a person reads only takes time from tracking. */
const TELL_EVERY = 110;
/** Splats are handed out every so many frames. */
const SHOW_EVERY = 3;

let session: (DeviceSession & { device: DeviceInfo }) | undefined;
let mode: 'looking' | 'recording' | 'paused' = 'looking';
let settings: DeviceSettings | undefined;
/** Depths of the empty support, and frames that are being gathered for them. */
let empty: Omit<DepthFrame, 'scanFromSensor'> | undefined;
let gathering: Float32Array[] | undefined;
let captureId = '';
let trackBy: TrackBy = 'shape and colour';
/** Coarse: larger voxels and fewer frames kept. */
let coarse = false;
let nextSequence = 0;
let live: LiveScan | undefined;
let table: TurntableRun | undefined;
/** Frames of the turntable's stops, marked, their places not yet known. */
let marked: DepthFrame[] = [];
let colorEveryBefore = 0;
let coverage: CoverageCounter | undefined;
const kept = new KeptFrames();
let sinceShown = 0;
/** When the page was last told of a frame, and what. */
let told: { at: number; state?: LiveFrameResult['state'] } = { at: 0 };
let sentToKeeper = 0;
let answered = 0;
let ending = false;
const times: number[] = [];
const keeper = new Worker(new URL('./frame-keeper.worker.ts', import.meta.url), { type: 'module' });

const tell = (m: FromCapture, transfer: Transferable[] = []): void => postMessage(m, { transfer });

keeper.onmessage = (e: MessageEvent<KeepReport>) => {
  const { stored, refused, waiting, trouble } = e.data;
  answered = stored + refused;
  tell({ type: 'stored', frames: stored, waiting, trouble });
  if (ending && answered === sentToKeeper) finishEnding();
};

onmessage = (e: MessageEvent<ToCapture>) => {
  void handle(e.data).catch((error: unknown) =>
    tell({ type: 'trouble', text: error instanceof Error ? error.message : String(error), over: false }),
  );
};

async function handle(m: ToCapture): Promise<void> {
  switch (m.type) {
    case 'connect':
      return connect(m.url);
    case 'device':
      return session?.send(m.message);
    case 'begin':
      return begin(m);
    case 'disconnect':
      return session?.close();
    case 'pause':
      mode = 'paused';
      return session?.send({ type: 'pause' });
    case 'resume':
      mode = captureId && heldByHand() ? 'recording' : 'looking';
      session?.send({ type: 'start' });
      return session?.send({ type: 'credit', frames: CREDIT });
    case 'take-back':
      return takeBack(m.seconds);
    case 'look-for':
      if (!captureId) trackBy = m.trackBy;
      return;
    case 'learn-empty':
      gathering = [];
      return;
    case 'end':
      mode = 'looking';
      ending = true;
      leaveTable();
      return answered < sentToKeeper ? undefined : finishEnding();
  }
}

function finishEnding(): void {
  ending = false;
  const brokenOff = marked.length > 0 && kept.count === 0;
  tell({ type: 'ended', frames: kept.count });
  if (brokenOff) tell({ type: 'said', text: 'Not all stops were taken. The run waits among the unfinished captures.' });
  captureId = '';
  forget();
}

async function connect(url: string): Promise<void> {
  session?.close();
  session = await DeviceSession.open(new WebSocket(url), {
    message: (message) => {
      if (message.type === 'state') tell({ type: 'device-state', state: message.state });
      else tell({ type: 'device', message });
      if (message.type === 'ready' || message.type === 'settings') settings = message.settings;
      if (message.type === 'turned') table?.turned(message.angle);
    },
    frame: (f) => {
      try {
        take(f);
      } catch (error) {
        tell({ type: 'trouble', text: error instanceof Error ? error.message : String(error), over: false });
      }
      // A turntable run asks for its frames one by one.
      if (!table) session?.send({ type: 'credit', frames: 1 });
    },
    closed: (text) => tell({ type: 'trouble', text, over: true }),
  });
  tell({ type: 'connected', device: session.device });
  session.send({ type: 'start' });
  session.send({ type: 'credit', frames: CREDIT });
}

function begin(m: Extract<ToCapture, { type: 'begin' }>): void {
  captureId = m.captureId;
  trackBy = m.trackBy;
  coarse = m.coarse;
  nextSequence = m.nextSequence;
  reset();
  const held = m.held && decodeCapture(new Uint8Array(m.held));
  if (m.stops > 0) {
    const before = held ? held.frames : empty ? [markedFrame(empty, 'empty', 0)] : [];
    if (!held) before.forEach(store);
    return runTable(m.stops, m.colorViews, before);
  }
  if (held) {
    kept.restore(held.frames, held.meta.sequences as number[]);
    rebuild();
  }
  mode = heldByHand() ? 'recording' : 'looking';
}

/** A scanner beside a turntable is not tracked: its stops are placed by the axis. */
const heldByHand = (): boolean => session?.device.sensors.includes('angle') !== true;

/** Leads the table through its stops and keeps each as it comes; the axis is found when all are there. */
function runTable(stops: number, colorViews: number, before: DepthFrame[]): void {
  colorEveryBefore = settings?.colorEvery ?? 0;
  marked = before;
  const run = new TurntableRun(
    stops,
    colorViews,
    {
      begin: (pass) => session?.send({ type: 'settings', values: { colorEvery: pass === 'colour' ? 1 : 0 } }),
      turn: (angle) => session?.send({ type: 'turn', angle }),
      shoot: () => session?.send({ type: 'credit', frames: 1 }),
      say: (text) => tell({ type: 'said', text }),
      taken: (frame) => {
        marked.push(frame);
        store(frame);
      },
      done: () => {
        leaveTable();
        showTurned();
      },
    },
    before,
  );
  if (run.complete) showTurned();
  else table = run;
}

/** The device is only looked through again. */
function leaveTable(): void {
  if (!table) return;
  table = undefined;
  session?.send({ type: 'settings', values: { colorEvery: colorEveryBefore } });
  session?.send({ type: 'credit', frames: CREDIT });
}

/** Shows what the stops give together; the server places them in the same way when the capture is finished. */
function showTurned(): void {
  tell({ type: 'said', text: 'Finding the axis …' });
  try {
    const { frames, axis } = placeMarkedFrames(marked, createRunContext());
    kept.restore(
      frames,
      frames.map((_, i) => i),
    );
    rebuild();
    const stops = marked.filter((f) => readStopMark(f.name)?.pass === 'shape').length;
    tell({ type: 'said', text: `${stops} stops aligned, ${axis!.rms.toFixed(2)} mm apart. Finish, or go on.` });
  } catch (error) {
    tell({ type: 'trouble', text: (error as Error).message, over: false });
  }
}

/** The empty support, from a few frames. */
function gather(z: Float32Array, camera: DepthFrame['camera']): void {
  gathering!.push(z);
  if (gathering!.length < EMPTY_FRAMES) return;
  const depth = learnEmpty(gathering!, camera.width);
  empty = { name: '', camera, depth };
  gathering = undefined;
  const share = depth.reduce((n, d) => n + (d > 0 ? 1 : 0), 0) / depth.length;
  tell({ type: 'empty-learned' });
  tell({
    type: 'said',
    text: `Empty support learned: ${(100 * share).toFixed(0)} % of the picture. Now put the object on.`,
  });
}

function reset(): void {
  forget();
  tell({ type: 'cleared' });
}

/** What was recorded goes; the page keeps the model in sight until the next one begins. */
function forget(): void {
  live = undefined;
  coverage = undefined;
  kept.clear();
  marked = [];
}

/** Takes the newest stretch back and begins the model again with what is left. */
function takeBack(seconds: number): void {
  if (!captureId) return;
  if (marked.length > 0)
    return tell({ type: 'said', text: 'The stops of a turntable stay together. To begin again, discard the capture.' });
  const gone = kept.takeBack(seconds, performance.now());
  if (!gone) return;
  // After the frames that are still on their way, so that none of them comes too late to be taken back.
  keeper.postMessage({ captureId, takeBack: gone.from } satisfies KeepRequest);
  rebuild();
  tell({ type: 'taken-back', frames: gone.frames, left: { kept: kept.count, coverage: coverage?.state } });
}

const countSide = (pose: Mat4): void => coverage?.add(pose);

function rebuild(): void {
  tell({ type: 'cleared' });
  coverage = undefined;
  if (kept.count === 0) {
    live = undefined;
    return;
  }
  const frames = kept.frames;
  live = LiveScan.restore(frames, optionsFor(session!.device));
  findSupport(frames[0]);
  for (const f of frames) countSide(f.scanFromSensor);
  showChanges(Infinity);
}

/** The live model follows the device: voxels a little larger than a pixel on the surface. */
function optionsFor(d: DeviceInfo): LiveScanSetting {
  const focal = d.depthSize.width / 2 / Math.tan((d.fieldOfView.horizontal * Math.PI) / 360);
  const voxel = Math.max(0.8, Math.round((16 * d.range.best) / focal) / 10);
  return {
    voxel: coarse ? 2 * voxel : voxel,
    distance: d.range.best,
    dots: trackBy === 'marker dots',
  };
}

function take(f: DeviceFrame): void {
  const { depth } = f;
  if (!depth) return;
  const n = depth.data.length;
  const z = new Float32Array(n);
  for (let i = 0; i < n; i++) z[i] = depth.data[i] * depth.unit;
  const frame: Omit<DepthFrame, 'scanFromSensor'> = {
    name: `frame ${nextSequence}`,
    camera: depth.camera,
    depth: z,
    color: f.color && {
      camera: f.color.camera,
      image: { width: f.color.camera.width, height: f.color.camera.height, data: f.color.data },
    },
  };
  if (gathering) gather(z, depth.camera);
  if (table && f.angle !== undefined) table.take(frame, f.angle);
  const result = mode === 'recording' ? track(frame, f.pose) : undefined;
  times.push(performance.now());
  if (times.length > 12) times.shift();
  const now = times[times.length - 1];
  if (now - told.at < TELL_EVERY && result?.state === told.state) return;
  told = { at: now, state: result?.state };
  const exposure = depth.infrared ? measureExposure(z, depth.infrared) : { burnt: 0, missing: 0 };
  // Before recording they are looked for as well: whether enough can be seen is to be known then.
  const seen = trackBy !== 'marker dots' ? undefined : result && live ? live.dotsSeen : findDots(frame);
  const report: FrameReport = {
    sequence: f.sequence,
    state: result?.state,
    rms: result?.rms,
    dots: trackBy === 'marker dots' ? result?.dots : undefined,
    dotsAt: seen && f.color && placesInPicture(seen, f.color.camera),
    pose: result && Array.from(result.pieceFromSensor),
    standOff: measureStandOff(z, depth.camera.width, depth.camera.height, session!.device.range),
    ...exposure,
    rate: times.length > 2 ? (1000 * (times.length - 1)) / (times[times.length - 1] - times[0]) : 0,
    kept: kept.count,
    coverage: coverage?.state,
  };
  const color = f.color && colorTile(f.color, TILE);
  const sensor = sensorTile(depth);
  tell(
    { type: 'frame', report, color, sensor },
    [color?.data.buffer, sensor.data.buffer].filter((b) => b !== undefined),
  );
}

function track(frame: Omit<DepthFrame, 'scanFromSensor'>, believed?: Mat4): LiveFrameResult {
  if (!live) {
    live = new LiveScan(optionsFor(session!.device));
  }
  const result = live.process(trackBy === 'shape' ? { ...frame, color: undefined } : frame, believed);
  if (result.state === 'first') {
    const first = { ...frame, scanFromSensor: result.pieceFromSensor };
    if (believed) standUpright(first, believed);
    else findSupport(first);
  }
  if (result.state === 'first' || result.state === 'tracked') {
    countSide(result.pieceFromSensor);
    if (kept.isNew(frame, result.pieceFromSensor, session!.device.range.best, coarse)) {
      keep({ ...frame, scanFromSensor: result.pieceFromSensor });
    }
  }
  if (++sinceShown >= SHOW_EVERY || result.state === 'first') showChanges(400);
  return result;
}

/** Hands a placed frame to the keeper, and remembers enough of it to begin the model again. */
function keep(frame: DepthFrame): void {
  const whole: DepthFrame = { ...frame, name: `frame ${nextSequence + 1}` };
  kept.add(whole, nextSequence, performance.now());
  store(whole);
}

/** Hands a frame to the keeper. */
function store(frame: DepthFrame): void {
  sentToKeeper++;
  keeper.postMessage({ captureId, sequence: nextSequence++, frame } satisfies KeepRequest);
}

/** The plane under the object, from one frame: cut away in the view, and the floor that coverage is counted over. */
function findSupport(frame: DepthFrame): void {
  const m = frame.scanFromSensor;
  const { positions } = frameCloud({ ...frame, color: undefined });
  const { plane, cloud } = removeSupportPlane(
    { positions },
    [[0, 0, 0]],
    { clearance: 0, minShare: 0.08 },
    createRunContext(),
  );
  const p = plane ? cloud.positions : positions;
  const mean: Vec3 = [0, 0, 0];
  for (let i = 0; i < p.length; i++) mean[i % 3] += p[i] / (p.length / 3);
  const place = (x: number, y: number, z: number, w: number): Vec3 => [
    m[0] * x + m[4] * y + m[8] * z + m[12] * w,
    m[1] * x + m[5] * y + m[9] * z + m[13] * w,
    m[2] * x + m[6] * y + m[10] * z + m[14] * w,
  ];
  const middle = place(mean[0], mean[1], mean[2], 1);
  const normal = plane ? place(plane.normal[0], plane.normal[1], plane.normal[2], 0) : place(0, -1, 0, 0);
  const distance = plane ? plane.offset + normal[0] * m[12] + normal[1] * m[13] + normal[2] * m[14] : 0;
  coverage = new CoverageCounter(middle, normal, [m[12] - middle[0], m[13] - middle[1], m[14] - middle[2]]);
  tell({ type: 'support', plane: plane ? { normal, distance } : null, middle });
}

/** A device that knows its pose knows which way is up; a room has no support to be cut away. */
function standUpright(frame: DepthFrame, believed: Mat4): void {
  const normal: Vec3 = [believed[2], believed[6], believed[10]];
  tell({ type: 'support', plane: { normal, distance: -1e9 }, middle: aimedAt(frame) });
}

function showChanges(limit: number): void {
  sinceShown = 0;
  const patches = live?.surface.changes(limit) ?? [];
  if (patches.length === 0) return;
  tell(
    { type: 'patches', patches },
    patches.flatMap((p) => [p.positions.buffer, p.normals.buffer, p.colors.buffer] as ArrayBuffer[]),
  );
}
