import type { PieceView } from '@amber-knit/contracts';
import type { DepthFrame } from '@amber-knit/core/geometry';
import { decodeFrames } from '@amber-knit/core/stored';
import { fetchData } from '../../view/load-artifact';

/** A scan whose pictures can be looked at. */
export interface PictureScan {
  name: string;
  /** The artifact that holds its frames. */
  framesId: string;
  /** 16 numbers, column by column. */
  pieceFromScan: readonly number[];
}

/** The placed scans that may have pictures. */
export function pictureScans({ scanList }: Pick<PieceView, 'scanList'>): PictureScan[] {
  return scanList.flatMap(({ name, framesId, placement }) =>
    framesId && placement.state === 'registered' ? [{ name, framesId, pieceFromScan: placement.pieceFromScan }] : [],
  );
}

/** Fetches the frames of scans, each scan's once; pictures stay packed until one looks at them. */
export class PictureFrames {
  private readonly loading = new Map<string, Promise<DepthFrame[]>>();

  /** Frames of a scan that have a picture. @throws Error with the server's words */
  of({ framesId }: PictureScan): Promise<DepthFrame[]> {
    let frames = this.loading.get(framesId);
    if (!frames) {
      frames = fetchData(framesId).then((bytes) => decodeFrames(bytes, false).filter((f) => f.color));
      frames.catch(() => this.loading.delete(framesId));
      this.loading.set(framesId, frames);
    }
    return frames;
  }
}
