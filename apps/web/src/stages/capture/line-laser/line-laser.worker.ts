import { DeviceSession, type DeviceFrame, type DeviceInfo } from '@amber-knit/device-protocol';
import { pinhole, type ColorImage } from '@amber-knit/core/geometry';
import {
  arcStep,
  estimateStand,
  findExactTurn,
  findLineCentres,
  laserLight,
  LASER_LIGHT_DEFAULTS,
  measureLine,
  normalRadius,
  picturesOf,
  scanTurn,
  tracePlace,
  whyMissing,
  type LineCentres,
  type LineLaserStand,
} from '@amber-knit/core/line-laser';
import type { Vec3 } from '@amber-knit/core/math';
import { estimateNormals } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import { decodePictureZip } from '@amber-knit/core/stored';
import type { KeepReport, KeepRequest } from '../live/frame-keeper.worker';
import type { FromLineLaser, LineLaserSetup, Shown, ToLineLaser, Trace } from './line-laser-messages';
import { bitmapOf, imageOf, LineRecording } from './line-recording';

/**
 * A line-laser recording off the page's thread: takes pictures from a device, a video or a zip, finds the line in each,
 * and hands picture, readings and points to the page.
 */

/** While recording, every so many pictures are shown. */
const LOOK_EVERY = 4;
/** Points are shown every so many pictures while the lines are looked for. */
const SHOW_EVERY = 12;

let session: (DeviceSession & { device: DeviceInfo }) | undefined;
let recording = new LineRecording();
let taking = false;
/** Where the pictures of this recording are stored; nothing for those that came from a file. */
let captureId = '';
let keeper: Worker | undefined;
let unstored = 0;
let leaving = false;
let setup: LineLaserSetup | undefined;
let show: Shown = { picture: null, light: false, row: 240 };
let latest: ColorImage | undefined;
/** Raised to end a search for lines that is no longer wanted. */
let search = 0;

const tell = (m: FromLineLaser, transfer: Transferable[] = []): void => postMessage(m, { transfer });
const fault = (error: unknown): void =>
  tell({ type: 'trouble', text: error instanceof Error ? error.message : String(error), over: false });

/** Messages are worked through one after the other. */
let queue = Promise.resolve();
onmessage = (e: MessageEvent<ToLineLaser>) => {
  // A new setup ends the search that an older one began.
  if (e.data.type === 'setup' || e.data.type === 'record') search++;
  queue = queue.then(() => handle(e.data)).catch(fault);
};

async function handle(m: ToLineLaser): Promise<void> {
  switch (m.type) {
    case 'connect':
      return connect(m.url);
    case 'device':
      return session?.send(m.message);
    case 'record':
      recording = new LineRecording();
      taking = true;
      storeIn(m.captureId);
      show = { ...show, picture: null };
      return tellRecording(false);
    case 'stop':
      taking = false;
      return recorded();
    case 'leave':
      taking = false;
      leaving = true;
      session?.close();
      return endIfStored();
    case 'zip': {
      captureId = '';
      recording = new LineRecording();
      for (const { name, bytes } of decodePictureZip(new Uint8Array(m.bytes))) {
        const bitmap = await createImageBitmap(new Blob([bytes as Uint8Array<ArrayBuffer>])).catch(() => {
          throw new Error(`${name} can't be read as a picture. Pack the recording again.`);
        });
        recording.add(imageOf(bitmap), bytes, name);
        if (recording.length % SHOW_EVERY === 0) tellRecording(false);
      }
      return recorded();
    }
    case 'picture': {
      if (!taking) recording = new LineRecording();
      taking = true;
      captureId = '';
      return addPicture(imageOf(m.picture));
    }
    case 'setup':
      return applySetup(m.setup);
    case 'show':
      show = { picture: m.picture, light: m.light, row: m.row };
      return showChosen();
    case 'estimate':
      return estimate(m.platform);
    case 'trace':
      return trace(m.place);
    case 'pack': {
      const bytes = recording.pack();
      return tell({ type: 'packed', bytes: bytes.buffer as ArrayBuffer }, [bytes.buffer]);
    }
  }
}

async function connect(url: string): Promise<void> {
  session?.close();
  session = await DeviceSession.open(new WebSocket(url), {
    message: (message) => tell({ type: 'device', message }),
    frame: (f) => {
      void take(f)
        .catch(fault)
        .finally(() => session?.send({ type: 'credit', frames: 1 }));
    },
    closed: (text) => tell({ type: 'trouble', text, over: true }),
  });
  tell({ type: 'connected', device: session.device });
  session.send({ type: 'start' });
  session.send({ type: 'credit', frames: 1 });
}

async function take({ color, pose }: DeviceFrame): Promise<void> {
  if (!color) return;
  latest = { width: color.camera.width, height: color.camera.height, data: color.data };
  if (pose) {
    const degrees = (sine: number): number => (Math.asin(Math.max(-1, Math.min(1, sine))) * 180) / Math.PI;
    // The right side's rise is less by as much as the camera looks up or down.
    tell({ type: 'level', pitch: degrees(pose[10]), roll: degrees(pose[2] / Math.sqrt(1 - pose[10] ** 2)) });
  }
  if (taking) await addPicture(latest);
  if (show.picture === null && (!taking || recording.length % LOOK_EVERY === 0)) await showPicture(null, latest);
}

async function addPicture(image: ColorImage): Promise<void> {
  const into = recording;
  const bytes = await into.take(image, 'picture.jpg');
  if (captureId) {
    unstored++;
    keeper!.postMessage({ captureId, sequence: into.length - 1, picture: bytes } satisfies KeepRequest);
  }
  if (taking && into.length % LOOK_EVERY === 0) tellRecording(false);
}

/** Has each picture stored as it comes, by a worker that does not give up while the server is away. */
function storeIn(capture: string): void {
  captureId = capture;
  keeper?.terminate();
  unstored = 0;
  let answered = 0;
  keeper = new Worker(new URL('../live/frame-keeper.worker.ts', import.meta.url), { type: 'module' });
  keeper.onmessage = ({ data: { stored, refused, waiting, trouble } }: MessageEvent<KeepReport>) => {
    unstored -= stored + refused - answered;
    answered = stored + refused;
    tell({ type: 'stored', pictures: stored, waiting, trouble });
    endIfStored();
  };
}

function endIfStored(): void {
  if (leaving && unstored === 0) close();
}

function tellRecording(over: boolean): void {
  tell({ type: 'recording', pictures: recording.length, over, ...recording.pictureSize });
}

/** A recording is whole: what one turn is in it. */
async function recorded(): Promise<void> {
  taking = false;
  await recording.settled();
  tellRecording(true);
  if (recording.length === 0) return;
  show = { ...show, picture: 0 };
  await showChosen();
  tell({ type: 'turn', search: findExactTurn(recording.thumbnails) });
}

const same = (a: object | undefined, b: object): boolean => JSON.stringify(a) === JSON.stringify(b);

async function applySetup(next: LineLaserSetup): Promise<void> {
  if (!same(setup?.lines, next.lines)) recording.lines = recording.lines.map(() => undefined);
  setup = next;
  await showChosen();
  // Not waited for: other wishes are heard meanwhile.
  void findLines().catch(fault);
}

/** Finds the lines that are not known yet, pictures of the turn only, and shows the points as they come. */
async function findLines(): Promise<void> {
  if (!setup || taking || recording.length === 0) return;
  const mine = search;
  const chosen = picturesOf(setup.turn).filter((k) => k >= 0 && k < recording.length);
  let done = 0;
  for (const k of chosen) {
    done++;
    if (recording.lines[k]) continue;
    recording.lines[k] = findLineCentres(await recording.picture(k), setup.lines);
    if (mine !== search) return;
    tell({ type: 'work', fraction: done / chosen.length });
    if (done % SHOW_EVERY === 0) showPoints(false);
  }
  showPoints(true);
  tell({ type: 'work', fraction: 1 });
}

function standNow(): LineLaserStand {
  const { width, height } = recording.length > 0 ? recording.pictureSize : (latest ?? { width: 640, height: 480 });
  const camera = pinhole(width, height, setup!.fieldOfView);
  return { ...setup!.stand, camera, axisColumn: setup!.stand.axisColumn || camera.cx };
}

function showPoints(whole: boolean): void {
  const { turn, platform, lowest } = setup!;
  const widest = platform > 0 ? platform / 2 : Infinity;
  const { cloud, viewpoints } = scanTurn(recording.lines, standNow(), turn, { lowest, widest });
  const n = cloud.positions.length;
  const step = arcStep(cloud.positions, turn.count);
  const normals = new Int8Array(n);
  if (whole) {
    const estimated = estimateNormals(
      cloud,
      viewpoints as Vec3[],
      { radius: normalRadius(cloud, step) },
      createRunContext(),
    ).normals;
    for (let i = 0; i < n; i++) normals[i] = 127 * estimated[i];
  } else {
    // Until they are worked out, normals point away from the axis.
    for (let i = 0; i < n; i += 3) {
      const r = Math.hypot(cloud.positions[i], cloud.positions[i + 1]) || 1;
      normals[i] = (127 * cloud.positions[i]) / r;
      normals[i + 1] = (127 * cloud.positions[i + 1]) / r;
    }
  }
  const found = Float32Array.from(recording.lines, (l) => l?.found ?? NaN);
  tell({ type: 'points', positions: cloud.positions, normals, colors: cloud.colors!, step, found }, [
    cloud.positions.buffer,
    normals.buffer,
    cloud.colors!.buffer,
  ]);
}

async function showChosen(): Promise<void> {
  const { picture } = show;
  if (picture === null) return latest && showPicture(null, latest);
  if (picture < recording.length) await showPicture(picture, await recording.picture(picture));
}

async function showPicture(index: number | null, image: ColorImage): Promise<void> {
  const options = setup?.lines;
  const centres: LineCentres = findLineCentres(image, options);
  const { width, height } = image;
  const light = laserLight(image, options ?? LASER_LIGHT_DEFAULTS, new Float32Array(width * height));
  const row = Math.min(show.row, height - 1);
  const profile = light.slice(row * width, (row + 1) * width);
  const bitmap = await bitmapOf(width, height, show.light ? light : image.data);
  const line = { columns: centres.columns, rows: centres.rows };
  tell({ type: 'picture', index, bitmap, line, quality: measureLine(image, centres, options, light), row, profile }, [
    bitmap,
  ]);
}

/** The stand from the picture on show, which should be of the empty platform. */
async function estimate(platform: number): Promise<void> {
  const image = show.picture === null ? latest : await recording.picture(show.picture);
  if (!image || !setup) return;
  const camera = pinhole(image.width, image.height, setup.fieldOfView);
  tell({ type: 'estimate', estimate: estimateStand(image, camera, platform, setup.lines, setup.stand) });
}

async function trace(place: Vec3): Promise<void> {
  if (!setup || recording.length === 0) return;
  const traces: Trace[] = [];
  for (const t of tracePlace(standNow(), setup.turn, place)) {
    if (t.picture < 0 || t.picture >= recording.length) continue;
    traces.push({ ...t, reason: whyMissing(await recording.picture(t.picture), t.column, t.row, setup.lines) });
  }
  tell({ type: 'traced', place: [place[0], place[1], place[2]], traces });
  if (traces.length > 0) {
    show = { ...show, picture: traces[0].picture };
    await showChosen();
  }
}
