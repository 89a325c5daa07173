import { BitSet } from '../geometry/bit-set.js';
import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { identity } from '../math/mat4.js';
import { replaceTriangles, type Replaced } from '../mending/replace-triangles.js';
import { meanEdgeLength } from '../mesh/repair.js';
import type { RunContext } from '../runtime/run-context.js';
import { insideOfPath } from '../selection/screen-region.js';
import { selectOnScreen } from '../selection/select-on-screen.js';
import type { BrushReach } from './brush-reach.js';
import { cannot, type EraseEdit, type LassoEdit } from './hand-edit.js';

/**
 * Takes away the triangles that a brush reached, or that appear inside an outline, and lets the surface go on over the place
 * if that is asked; see `replaceTriangles` and `selectOnScreen`.
 * @throws GeometryError `invalid-parameter` if that is nothing, or everything
 */
export function takeOut(mesh: TriangleMesh, reach: BrushReach, edit: EraseEdit | LassoEdit, ctx: RunContext): Replaced {
  const gone = edit.kind === 'lasso' ? outlined(mesh, edit) : brushed(reach, edit, vertexCount(mesh));
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

function outlined(
  mesh: TriangleMesh,
  { outline, clipFromView, size: [width, height], through }: LassoEdit,
): Uint8Array {
  const n = vertexCount(mesh);
  const cloud = {
    positions: mesh.positions,
    present: BitSet.full(n),
    viewFromScan: identity(),
    spacing: meanEdgeLength(mesh),
  };
  const view = { clipFromView: Float64Array.from(clipFromView), width, height };
  const [inside] = selectOnScreen([cloud], view, insideOfPath(outline, width, height), !through);
  const gone = new Uint8Array(n);
  for (const v of inside.toArray()) gone[v] = 1;
  return gone;
}
