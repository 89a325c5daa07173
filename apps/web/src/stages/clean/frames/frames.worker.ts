import { artifactUrl } from '../../../api/artifact-url';
import { judgeFrames, nearestFrame } from '@amber-knit/core/frames';
import type { DepthFrame } from '@amber-knit/core/geometry';
import { transformPoints } from '@amber-knit/core/math';
import { estimateSpacing, frameCloud } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import { decodeCloud, decodeFrames } from '@amber-knit/core/stored';
import { UNKNOWN_LEVEL } from '../../../selection/selection-messages';
import type { FromFrames, ToFrames } from './frames-messages';

// Looks at the frames of one scan: measures them, makes small pictures of them, works out the points of one.

/** Width of the small pictures, pixels. */
const SMALL = 128;
const PROGRESS_MS = 150;
/** A frame measured a point if it did so within so many spacings in depth. */
const SAME_SURFACE = 2;

let frames: DepthFrame[] = [];

const post = (m: FromFrames, transfer: Transferable[] = []): void =>
  (self as unknown as Worker).postMessage(m, transfer);

async function stored(id: string, what: string): Promise<Uint8Array> {
  const response = await fetch(artifactUrl(id));
  if (!response.ok) throw new Error(`The ${what} could not be fetched (${response.status}). Try again.`);
  return new Uint8Array(await response.arrayBuffer());
}

async function open(framesId: string): Promise<void> {
  // Pictures are not held: many frames would fill the memory.
  frames = decodeFrames(await stored(framesId, 'frames'), false);
  post({ type: 'opened', names: frames.map((f) => f.name) });
  let said = 0;
  const ctx = createRunContext({
    onProgress: (fraction) => {
      if (performance.now() - said < PROGRESS_MS) return;
      said = performance.now();
      post({ type: 'judging', fraction });
    },
  });
  post({ type: 'judged', ...judgeFrames(frames, ctx) });
}

async function picture(i: number): Promise<void> {
  const frame = frames[i];
  if (!frame) return;
  const { color } = frame;
  const image = color ? picturePixels(color.image) : depthPixels(frame);
  const height = Math.max(1, Math.round((SMALL * image.height) / image.width));
  const bitmap = await createImageBitmap(image, { resizeWidth: SMALL, resizeHeight: height });
  post({ type: 'picture', frame: i, bitmap }, [bitmap]);
}

function picturePixels({ width, height, data }: { width: number; height: number; data: Uint8Array }): ImageData {
  const out = new ImageData(width, height);
  for (let i = 0; i < width * height; i++) {
    for (let k = 0; k < 3; k++) out.data[4 * i + k] = data[3 * i + k];
    out.data[4 * i + 3] = 255;
  }
  return out;
}

/** Near is bright, unmeasured is transparent. */
function depthPixels({ camera, depth }: DepthFrame): ImageData {
  const out = new ImageData(camera.width, camera.height);
  let near = Infinity;
  let far = 0;
  for (const z of depth) {
    if (!(z > 0)) continue;
    near = Math.min(near, z);
    far = Math.max(far, z);
  }
  depth.forEach((z, i) => {
    if (!(z > 0)) return;
    const v = 60 + (195 * (far - z)) / Math.max(1e-6, far - near);
    out.data.set([v, v, v, 255], 4 * i);
  });
  return out;
}

function points(i: number): void {
  const frame = frames[i];
  if (!frame) return;
  const positions = transformPoints(
    frame.scanFromSensor,
    frameCloud({ ...frame, color: undefined, depth: frame.depth }).positions,
  );
  post({ type: 'points', frame: i, positions }, [positions.buffer]);
}

async function byFrame(cloudId: string): Promise<void> {
  const { cloud } = decodeCloud(await stored(cloudId, 'points'));
  const best = nearestFrame(cloud.positions, frames, SAME_SURFACE * estimateSpacing(cloud), createRunContext());
  const last = Math.max(1, frames.length - 1);
  const levels = Uint8Array.from(best, (f) => (f < 0 ? UNKNOWN_LEVEL : Math.round(((UNKNOWN_LEVEL - 1) * f) / last)));
  post({ type: 'by-frame', levels }, [levels.buffer]);
}

async function handle(m: ToFrames): Promise<void> {
  if (m.type === 'open') await open(m.framesId);
  else if (m.type === 'points') points(m.frame);
  else if (m.type === 'by-frame') await byFrame(m.cloudId);
  else for (const i of m.frames) await picture(i);
}

self.onmessage = ({ data }: MessageEvent<ToFrames>): void => {
  handle(data).catch((e: unknown) => post({ type: 'failed', message: e instanceof Error ? e.message : String(e) }));
};
