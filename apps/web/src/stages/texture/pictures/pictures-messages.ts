import type { PictureName } from '@amber-knit/core/geometry';
import type { PictureScan } from '../picture-frames';

/** To the worker that looks through a model's pictures; the newest question counts. */
export type ToPictures =
  | { ask: 'open'; modelId: string; scans: readonly PictureScan[] }
  /** Which pictures show a place, mm. */
  | { ask: 'place'; point: readonly [number, number, number] };

/** A picture with its share of the surface, 0–1. */
export interface PictureShare extends PictureName {
  share: number;
}

/** A picture that shows a place. */
export interface PictureOfPlace extends PictureName {
  /** From straight on, radians; and from how far, mm. */
  angle: number;
  distance: number;
  /** What lies around the place, which is its middle. */
  part: ImageBitmap;
}

export type FromPictures =
  /** The model's pictures in its own order; the rest of the surface is coloured from around. */
  | { tell: 'opened'; modelId: string; pictures: PictureShare[]; around: number }
  /** `own` is the number of the picture that most of the colour there is from; absent where it is from around. */
  | { tell: 'place'; point: readonly [number, number, number]; own?: number; seeing: PictureOfPlace[] }
  | { tell: 'failed'; reason: string };
