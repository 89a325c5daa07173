import { previewSurface, type SurfaceShape, type TrustRegion } from '@amber-knit/core/fusion';
import type { Placement, Scan, TriangleMesh } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import type { CloudSource } from '../../../view/load-artifact';
import { loadCloud } from '../../../view/load-points';

// Fuses a coarse surface off the page's thread, from the scans as they lie. Scans that were read stay for the next time.

export interface AskPreview {
  scans: { name: string; source: CloudSource; pieceFromScan: number[] }[];
  voxel: number;
  shape: SurfaceShape;
  trust: readonly TrustRegion[];
}

export type FromPreview = { mesh: TriangleMesh; voxel: number } | { failed: string };

const read = new Map<string, Promise<Scan>>();

async function scanOf(name: string, source: CloudSource): Promise<Scan> {
  return { name, ...(await loadCloud(source, new AbortController().signal, () => undefined)) };
}

async function answer({ scans, voxel, shape, trust }: AskPreview): Promise<{ mesh: TriangleMesh; voxel: number }> {
  const all = await Promise.all(
    scans.map(({ name, source }) => {
      const key = `${name} ${source.base} ${source.cut ?? ''}`;
      if (!read.has(key)) read.set(key, scanOf(name, source));
      return read.get(key)!;
    }),
  );
  const placements = scans.map(({ name, pieceFromScan }): Placement => ({
    name,
    state: 'registered',
    pieceFromScan: Float64Array.from(pieceFromScan),
  }));
  return previewSurface(all, placements, { voxel, shape, trust }, createRunContext());
}

self.onmessage = ({ data }: MessageEvent<AskPreview>): void => {
  const post = (m: FromPreview): void => (self as unknown as Worker).postMessage(m);
  answer(data)
    .then(post)
    .catch((e: unknown) => post({ failed: e instanceof Error ? e.message : String(e) }));
};
