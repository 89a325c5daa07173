import type { Placement, Scan } from '@amber-knit/core/geometry';
import { findNextViews, type NextViews, type ScannerReach } from '@amber-knit/core/next-views';
import { createRunContext } from '@amber-knit/core/runtime';
import type { CloudSource } from '../../../view/load-artifact';
import { loadCloud } from '../../../view/load-points';

// Looks for the places to scan from next, off the page's thread: it reads the scans and goes when it has answered.

/** What the scanner reaches; what is not known of it does not limit it. */
export type Reach = Pick<ScannerReach, 'distance'> & Partial<ScannerReach>;

export interface ToNextViews {
  scans: { name: string; setup: string; source: CloudSource; pieceFromScan: number[] }[];
  reach: Reach;
}

export type FromNextViews = { progress: number } | { found: NextViews } | { failed: string };

const post = (m: FromNextViews): void => (self as unknown as Worker).postMessage(m);

/** Share of the work that reading takes. */
const READING = 0.6;

async function answer({ scans, reach }: ToNextViews): Promise<NextViews> {
  const placed: { scan: Scan; placement: Placement; setup: string }[] = [];
  for (const [i, { name, setup, source, pieceFromScan }] of scans.entries()) {
    const stop = new AbortController();
    const { cloud, viewpoints } = await loadCloud(source, stop.signal, (f) =>
      post({ progress: (READING * (i + f)) / scans.length }),
    );
    placed.push({
      scan: { name, cloud, viewpoints },
      placement: { name, state: 'registered', pieceFromScan: Float64Array.from(pieceFromScan) },
      setup,
    });
  }
  const ctx = createRunContext({ onProgress: (f) => post({ progress: READING + (1 - READING) * f }) });
  return findNextViews(placed, reach, ctx);
}

self.onmessage = ({ data }: MessageEvent<ToNextViews>): void => {
  answer(data)
    .then((found) => post({ found }))
    .catch((e: unknown) => post({ failed: e instanceof Error ? e.message : String(e) }));
};
