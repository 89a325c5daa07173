import type { FrameFault, FrameQuality } from '@amber-knit/core/frames';

/** A frame as the page knows it. */
export interface FrameInfo {
  name: string;
  /** Known once all frames were looked at. */
  quality?: FrameQuality;
  faults: readonly FrameFault[];
}

export type ToFrames =
  | { type: 'open'; framesId: string }
  /** Small pictures of some frames. */
  | { type: 'pictures'; frames: number[] }
  /** The points that a frame measured, in the scan's frame. */
  | { type: 'points'; frame: number }
  /** Which frame each stored point was measured by, as a level of a colour scale. */
  | { type: 'by-frame'; cloudId: string };

export type FromFrames =
  | { type: 'opened'; names: string[] }
  | { type: 'judging'; fraction: number }
  | { type: 'judged'; qualities: FrameQuality[]; faults: FrameFault[][] }
  | { type: 'picture'; frame: number; bitmap: ImageBitmap }
  | { type: 'points'; frame: number; positions: Float32Array }
  | { type: 'by-frame'; levels: Uint8Array }
  | { type: 'failed'; message: string };
