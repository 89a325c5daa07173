import { compactMesh, filterTriangles, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { fillHoles } from '../mending/fill-holes.js';
import { listHoles } from '../mending/holes.js';
import { makeManifold } from '../mesh/repair.js';
import { labelPieces } from '../mesh/topology.js';
import type { RunContext } from '../runtime/run-context.js';
import type { BrushReach } from './brush-reach.js';
import { cannot, type EraseEdit } from './hand-edit.js';

/** Loose pieces of so few triangles that taking out has left go with it. */
const CRUMB = 4;

/**
 * Takes away the triangles that a brush reached, and for `refill` lets the surface go on over the place; what stood there
 * has no say. A place that runs into a rim is taken out and left open: where that hole ends, nobody has said.
 * O(n + m), and what `fillHoles` takes.
 * @returns the surface, and how many places were filled and left open
 * @throws GeometryError `invalid-parameter` if the brush reaches nothing, or everything
 */
export function takeOut(
  mesh: TriangleMesh,
  reach: BrushReach,
  { kind, dabs }: EraseEdit,
  ctx: RunContext,
): { mesh: TriangleMesh; filled: number; leftOpen: number } {
  const gone = new Uint8Array(vertexCount(mesh));
  let reached = 0;
  for (const dab of dabs) {
    const count = reach.find(dab);
    for (let i = 0; i < count; i++) {
      const v = reach.vertices[i];
      reached += 1 - gone[v];
      gone[v] = 1;
    }
  }
  if (reached === 0) throw cannot('There is no surface under the brush.');
  const kept: number[] = [];
  /** Places that have become a rim by this; places that were one before. */
  const opened = new Set<string>();
  const rims = new Set<string>();
  const { indices, positions } = mesh;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]];
    if ((gone[a] | gone[b] | gone[c]) === 0) kept.push(a, b, c);
    else for (const v of [a, b, c]) if (!gone[v]) (reach.rim[v] ? rims : opened).add(placeKey(positions, v));
  }
  if (kept.length === 0) throw cannot('Nothing of the surface would be left.');
  const rest = withoutCrumbs(makeManifold(compactMesh({ ...mesh, indices: Uint32Array.from(kept) })).mesh, opened);
  if (kind === 'erase') return { mesh: rest, filled: 0, leftOpen: 0 };
  const only: number[] = [];
  let ragged = 0;
  listHoles(rest).forEach(({ rim }, i) => {
    const at = Array.from(rim, (v) => placeKey(rest.positions, v));
    if (at.every((key) => opened.has(key) && !rims.has(key))) only.push(i);
    else if (at.some((key) => opened.has(key))) ragged++;
  });
  if (only.length === 0) return { mesh: rest, filled: 0, leftOpen: ragged };
  const r = fillHoles(rest, { shape: 'smooth', only }, ctx);
  return { mesh: r.mesh, filled: r.filled, leftOpen: ragged + only.length - r.filled };
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
