import type { FaultKind } from '@amber-knit/core/mending';

/** A fault as it is listed: places of its triangles' corners, 3n, besides where and how large it is. */
export interface FoundFault {
  kind: FaultKind;
  place: [number, number, number];
  size: number;
  triangles: number;
  corners: Float32Array;
}

/** What a fault is called, and what it means. */
export const FAULT_WORDS: Record<FaultKind, readonly [name: string, help: string]> = {
  crossing: [
    'Crossing triangles',
    'The surface goes through itself; a printer or a solid modeller would not know what is inside.',
  ],
  edge: ['Edge of three or more', 'More than two triangles meet at an edge.'],
  vertex: ['Touching at a point', 'Surfaces meet at a single vertex.'],
  'inside-out': ['Inside out', 'A closed piece whose triangles face inwards.'],
  inner: ['Inner piece', 'A piece within another, where nobody can see it.'],
  loose: ['Loose piece', 'A small piece that hangs on nothing; it may be a part of the object.'],
  spike: ['Spike', 'A vertex that stands out like a needle.'],
};

/** How many of each kind there are, in the order of the list. */
export function kindCounts(faults: readonly FoundFault[]): [FaultKind, number][] {
  const counts = new Map<FaultKind, number>();
  for (const { kind } of faults) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  return Array.from(counts);
}

/** The corners of all of them, one after the other. */
export function cornersOf(faults: readonly FoundFault[]): Float32Array {
  const out = new Float32Array(faults.reduce((sum, f) => sum + f.corners.length, 0));
  let at = 0;
  for (const { corners } of faults) {
    out.set(corners, at);
    at += corners.length;
  }
  return out;
}
