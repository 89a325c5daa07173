import { boundsOf, diagonalOf, pointCount, triangleCount, wereRefined } from '@amber-knit/core/geometry';
import { estimateSpacing } from '@amber-knit/core/pointcloud';
import type { PieceStats, WorkData } from './operation.js';

/** Facts about work data in memory, for `suggest`. */
export function pieceStats(data: Partial<WorkData>): PieceStats {
  const scans = data.scans ?? [];
  return summarizeScans(
    scans.map((s) => ({
      name: s.name,
      points: pointCount(s.cloud),
      spacing: estimateSpacing(s.cloud),
      diagonal: diagonalOf(boundsOf(s.cloud.positions)),
      hasFrames: Boolean(s.frames?.length),
      unrefined: !wereRefined(s.frames ?? []),
      hasColors: Boolean(s.cloud.colors),
    })),
    data.mesh ? triangleCount(data.mesh) : 0,
    { hasModel: data.model !== undefined, hasLight: data.light !== undefined },
  );
}

/** Facts about one scan that are kept beside its data. */
export interface ScanFacts {
  name: string;
  points: number;
  spacing: number;
  diagonal: number;
  hasFrames: boolean;
  /** Its frames were never made to agree. */
  unrefined: boolean;
  hasColors: boolean;
}

export function summarizeScans(
  scans: ScanFacts[],
  triangles: number,
  has: Pick<PieceStats, 'hasModel' | 'hasLight'>,
): PieceStats {
  const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1] ?? 0;
  return {
    scans: scans.length,
    points: scans.reduce((n, s) => n + s.points, 0),
    spacing: median(scans.map((s) => s.spacing)),
    diagonal: median(scans.map((s) => s.diagonal)),
    hasFrames: scans.some((s) => s.hasFrames),
    unrefined: scans.filter((s) => s.unrefined).length,
    hasColors: scans.some((s) => s.hasColors),
    triangles,
    ...has,
    names: scans.map((s) => s.name),
  };
}
