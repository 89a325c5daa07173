import { compactMesh, filterTriangles, triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { makeManifold } from '../mesh/repair.js';
import { BOUNDARY, labelPieces, nextHalfEdge, oppositeHalfEdges } from '../mesh/topology.js';
import type { RunContext } from '../runtime/run-context.js';
import { fillHoles } from './fill-holes.js';
import { listHoles } from './holes.js';

/** Loose pieces of so few triangles that taking out has left go with it. */
const CRUMB = 4;

export interface Replaced {
  mesh: TriangleMesh;
  /** Places that were filled anew, and that were to be and stayed open. */
  filled: number;
  leftOpen: number;
}

/**
 * Takes triangles out and, if asked, lets the surface go on over each place; what stood there has no say. A place that runs
 * into a rim is taken out and left open: where that hole ends, nobody has said. O(n + m), and what `fillHoles` takes.
 * @param keep a byte a triangle, 0 for those that go @param again whether the places are filled anew
 */
export function replaceTriangles(mesh: TriangleMesh, keep: Uint8Array, again: boolean, ctx: RunContext): Replaced {
  const { indices, positions } = mesh;
  const rim = rimOf(mesh, keep);
  const kept: number[] = [];
  /** Places that have become a rim by this; of these, those that were one before. */
  const opened = new Set<string>();
  const rims = new Set<string>();
  for (let t = 0; t < triangleCount(mesh); t++)
    for (let k = 0; k < 3; k++) {
      const v = indices[3 * t + k];
      if (keep[t]) kept.push(v);
      else {
        opened.add(placeKey(positions, v));
        if (rim[v]) rims.add(placeKey(positions, v));
      }
    }
  const rest = withoutCrumbs(makeManifold(compactMesh({ ...mesh, indices: Uint32Array.from(kept) })).mesh, opened);
  if (!again) return { mesh: rest, filled: 0, leftOpen: 0 };
  const only: number[] = [];
  let ragged = 0;
  listHoles(rest).forEach((hole, i) => {
    const at = Array.from(hole.rim, (v) => placeKey(rest.positions, v));
    if (at.every((key) => opened.has(key) && !rims.has(key))) only.push(i);
    else if (at.some((key) => opened.has(key))) ragged++;
  });
  if (only.length === 0) return { mesh: rest, filled: 0, leftOpen: ragged };
  const r = fillHoles(rest, { shape: 'smooth', only }, ctx);
  return { mesh: r.mesh, filled: r.filled, leftOpen: ragged + only.length - r.filled };
}

/** 1 for vertices on a rim beside triangles that stay: what hangs on by an edge and goes makes none. */
function rimOf({ indices, positions }: TriangleMesh, keep: Uint8Array): Uint8Array {
  const out = new Uint8Array(positions.length / 3);
  const opposite = oppositeHalfEdges(indices, out.length);
  for (let h = 0; h < indices.length; h++)
    if (opposite[h] === BOUNDARY && keep[Math.floor(h / 3)]) out[indices[h]] = out[indices[nextHalfEdge(h)]] = 1;
  return out;
}

const placeKey = (p: Float32Array, v: number): string => `${p[3 * v]} ${p[3 * v + 1]} ${p[3 * v + 2]}`;

/** Without loose pieces of a few triangles at the places opened. */
function withoutCrumbs(mesh: TriangleMesh, opened: ReadonlySet<string>): TriangleMesh {
  const { label, sizes } = labelPieces(mesh);
  const small = sizes.map((size) => size <= CRUMB);
  if (!small.includes(true)) return mesh;
  const keep = new Uint8Array(label.length).fill(1);
  for (let t = 0; t < label.length; t++) {
    if (!small[label[t]]) continue;
    if ([0, 1, 2].some((k) => opened.has(placeKey(mesh.positions, mesh.indices[3 * t + k])))) keep[t] = 0;
  }
  return filterTriangles(mesh, keep);
}
