import type { DepthFrame } from '@amber-knit/core/geometry';
import { invertRigid, multiply, rotationAngle, type Mat4 } from '@amber-knit/core/math';

/** A frame is kept when it has moved so far from all kept ones, as a share of the best distance, or turned so far. */
const KEEP_SHARE = 0.055;
const KEEP_RAD = 0.06;
/** Without a large picture it takes so many times the way. */
const PLAIN = 3;
/** A room is captured coarsely: again so many times. */
const COARSE = 2;

/** A kept frame in little space: enough to begin the model again. */
interface KeptFrame {
  sequence: number;
  /** When it was taken, ms; 0 if before the page was opened. */
  at: number;
  frame: DepthFrame;
}

/**
 * The frames of a capture that are worth keeping: those where none was kept before. Going round again adds nothing but
 * bulk, and the memory stays within what there is to be seen. Knows nothing of the device or of storing.
 */
export class KeptFrames {
  private list: KeptFrame[] = [];

  get count(): number {
    return this.list.length;
  }

  /** With at most a colour pixel for each depth pixel, the oldest first. */
  get frames(): DepthFrame[] {
    return this.list.map((k) => k.frame);
  }

  /** Frames that were kept before the page was opened. */
  restore(frames: readonly DepthFrame[], sequences: readonly number[]): void {
    this.list = frames.map((frame, i) => ({ sequence: sequences[i], at: 0, frame: smallFrame(frame) }));
  }

  clear(): void {
    this.list = [];
  }

  /**
   * Whether none was kept near a pose, scanFromSensor. O(kept frames).
   * @param best distance at which the scanner sees best, mm; `coarse` of a room
   */
  isNew(frame: Omit<DepthFrame, 'scanFromSensor'>, pose: Mat4, best: number, coarse: boolean): boolean {
    const large = frame.color && frame.color.image.width > frame.camera.width;
    const factor = (large ? 1 : PLAIN) * (coarse ? COARSE : 1);
    return !this.list.some(({ frame: { scanFromSensor: at } }) => {
      const shift = Math.hypot(at[12] - pose[12], at[13] - pose[13], at[14] - pose[14]);
      return shift <= factor * KEEP_SHARE * best && rotationAngle(multiply(invertRigid(at), pose)) < factor * KEEP_RAD;
    });
  }

  /** @param at when it was taken, ms */
  add(frame: DepthFrame, sequence: number, at: number): void {
    this.list.push({ sequence, at, frame: smallFrame(frame) });
  }

  /**
   * Takes the newest stretch away, at least the last frame; of those from before the page was opened one at a time.
   * @returns number of the first frame taken away, and how many; undefined if there is none
   */
  takeBack(seconds: number, now: number): { from: number; frames: number } | undefined {
    const last = this.list.at(-1);
    if (!last) return undefined;
    const since = Math.min(last.at, now) - 1000 * seconds;
    const { sequence: from } = this.list.find((k) => k.at > since && k.at > 0) ?? last;
    const before = this.list.length;
    this.list = this.list.filter((k) => k.sequence < from);
    return { from, frames: before - this.list.length };
  }
}

/** The frame with at most a colour pixel for each depth pixel. */
function smallFrame(f: DepthFrame): DepthFrame {
  const plain = { name: f.name, camera: f.camera, depth: f.depth, scanFromSensor: f.scanFromSensor };
  if (!f.color || f.color.image.width <= f.camera.width) return { ...plain, color: f.color };
  const { image, camera } = f.color;
  const step = Math.round(image.width / f.camera.width);
  const width = Math.floor(image.width / step);
  const height = Math.floor(image.height / step);
  const data = new Uint8Array(3 * width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const from = 3 * (y * step * image.width + x * step);
      data.set(image.data.subarray(from, from + 3), 3 * (y * width + x));
    }
  }
  const [fx, fy, cx, cy] = [camera.fx, camera.fy, camera.cx, camera.cy].map((v) => v / step);
  return { ...plain, color: { camera: { width, height, fx, fy, cx, cy }, image: { width, height, data } } };
}
