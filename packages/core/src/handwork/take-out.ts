import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { replaceTriangles, type Replaced } from '../mending/replace-triangles.js';
import type { RunContext } from '../runtime/run-context.js';
import type { BrushReach } from './brush-reach.js';
import { cannot, type EraseEdit } from './hand-edit.js';

/**
 * Takes away the triangles that a brush reached, and for `refill` lets the surface go on over the place; see
 * `replaceTriangles`.
 * @throws GeometryError `invalid-parameter` if the brush reaches nothing, or everything
 */
export function takeOut(mesh: TriangleMesh, reach: BrushReach, { kind, dabs }: EraseEdit, ctx: RunContext): Replaced {
  const gone = new Uint8Array(vertexCount(mesh));
  let reached = 0;
  for (const dab of dabs) {
    const count = reach.find(dab);
    for (let i = 0; i < count; i++) gone[reach.vertices[i]] = 1;
    reached += count;
  }
  if (reached === 0) throw cannot('There is no surface under the brush.');
  const { indices } = mesh;
  const keep = new Uint8Array(triangleCount(mesh));
  let kept = 0;
  for (let t = 0; t < keep.length; t++) {
    keep[t] = 1 - (gone[indices[3 * t]] | gone[indices[3 * t + 1]] | gone[indices[3 * t + 2]]);
    kept += keep[t];
  }
  if (kept === 0) throw cannot('Nothing of the surface would be left.');
  return replaceTriangles(mesh, keep, kind === 'refill', ctx);
}
