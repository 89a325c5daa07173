import { BitSet } from '../geometry/bit-set.js';
import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { identity } from '../math/mat4.js';
import { replaceTriangles, type Replaced } from '../mending/replace-triangles.js';
import { meanEdgeLength } from '../mesh/repair.js';
import type { RunContext } from '../runtime/run-context.js';
import { insideOfPath } from '../selection/screen-region.js';
import { selectOnScreen } from '../selection/select-on-screen.js';
import { TriangleBvh } from '../spatial/triangle-bvh.js';
import type { BrushReach } from './brush-reach.js';
import { cannot, type EraseEdit, type LassoEdit } from './hand-edit.js';

/**
 * Takes away the triangles that a brush reached, or that appear inside an outline, and lets the surface go on over the place
 * if that is asked; see `replaceTriangles` and `selectOnScreen`.
 * @throws GeometryError `invalid-parameter` if that is nothing, or everything
 */
export function takeOut(mesh: TriangleMesh, reach: BrushReach, edit: EraseEdit | LassoEdit, ctx: RunContext): Replaced {
  const gone = edit.kind === 'lasso' ? outlined(mesh, reach, edit) : brushed(reach, edit, vertexCount(mesh));
  const { indices } = mesh;
  const keep = new Uint8Array(triangleCount(mesh));
  let kept = 0;
  for (let t = 0; t < keep.length; t++) {
    keep[t] = 1 - (gone[indices[3 * t]] | gone[indices[3 * t + 1]] | gone[indices[3 * t + 2]]);
    kept += keep[t];
  }
  if (kept === keep.length)
    throw cannot(
      edit.kind === 'lasso' ? 'No surface lies inside the outline.' : 'There is no surface under the brush.',
    );
  if (kept === 0) throw cannot('Nothing of the surface would be left.');
  return replaceTriangles(mesh, keep, edit.kind === 'refill' || (edit.kind === 'lasso' && edit.refill), ctx);
}

function brushed(reach: BrushReach, { dabs }: EraseEdit, vertices: number): Uint8Array {
  const gone = new Uint8Array(vertices);
  for (const dab of dabs) {
    const count = reach.find(dab);
    for (let i = 0; i < count; i++) gone[reach.vertices[i]] = 1;
  }
  return gone;
}

/** Rays to the eye begin so far off the surface, in mean edges: at a vertex they would meet its own triangles. */
const OFF_SURFACE = 0.05;

function outlined(mesh: TriangleMesh, reach: BrushReach, edit: LassoEdit): Uint8Array {
  const { outline, clipFromView, size, through } = edit;
  const n = vertexCount(mesh);
  const edge = meanEdgeLength(mesh);
  const cloud = { positions: mesh.positions, present: BitSet.full(n), viewFromScan: identity(), spacing: edge };
  const view = { clipFromView: Float64Array.from(clipFromView), width: size[0], height: size[1] };
  const [inside] = selectOnScreen([cloud], view, insideOfPath(outline, ...size), false);
  const gone = new Uint8Array(n);
  const seen = through ? () => true : visibility(mesh, reach, edit.eye, OFF_SURFACE * edge);
  for (const v of inside.toArray()) if (seen(v)) gone[v] = 1;
  return gone;
}

/** Tells whether a vertex faces the eye and no triangle stands between. O(log m) each. */
function visibility(
  mesh: TriangleMesh,
  reach: BrushReach,
  eye: readonly [number, number, number],
  off: number,
): (v: number) => boolean {
  const bvh = new TriangleBvh(mesh);
  const n = new Float64Array(3);
  const from = new Float64Array(3);
  const way = new Float64Array(3);
  return (v) => {
    reach.normalAt(v, n);
    for (let k = 0; k < 3; k++) way[k] = eye[k] - mesh.positions[3 * v + k];
    const far = Math.hypot(way[0], way[1], way[2]);
    if (!(n[0] * way[0] + n[1] * way[1] + n[2] * way[2] > 0)) return false;
    for (let k = 0; k < 3; k++) {
      way[k] /= far;
      from[k] = mesh.positions[3 * v + k] + off * (n[k] + way[k]);
    }
    return bvh.firstHit(from, way, far) < 0;
  };
}
