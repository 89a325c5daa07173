import { Snapping, type SnapScan } from '@amber-knit/core/registration';

/** What the view tells the snapping: the scans, once, and then where the hand holds the one that is moved. */
export type ToSnap =
  | { type: 'scans'; moving: SnapScan; staying: (SnapScan & { pieceFromScan: Float64Array })[] }
  | { type: 'held'; number: number; pieceFromScan: Float64Array };

/** Where it snaps to from there; nothing where it does not. */
export interface FromSnap {
  number: number;
  snapped: { pieceFromScan: Float64Array; overlap: number; rms: number } | null;
}

let snapping: Snapping | undefined;

onmessage = ({ data }: MessageEvent<ToSnap>) => {
  if (data.type === 'scans') {
    snapping = new Snapping(data.moving, data.staying);
    return;
  }
  const found = snapping?.from(data.pieceFromScan);
  const snapped = found?.holds
    ? { pieceFromScan: Float64Array.from(found.pieceFromScan), overlap: found.overlap, rms: found.rms }
    : null;
  postMessage({ number: data.number, snapped } satisfies FromSnap);
};
