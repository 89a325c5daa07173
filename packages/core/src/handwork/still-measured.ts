import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { KNOWN_ATTRIBUTES } from '../geometry/vertex-knowledge.js';
import { meanEdgeLength } from '../mesh/repair.js';

/** A vertex that went further than so many expected errors from where it was measured is no longer measured. */
const STILL_MEASURED = 3;
/** The same in mean edges where no expected error is known; common practice, no source. */
const STILL_NEAR = 0.5;

export interface Moved {
  mesh: TriangleMesh;
  /** How many vertices lie elsewhere than before, and how far the furthest of them, mm. */
  count: number;
  farthest: number;
}

/**
 * Marks as invented what lies further from where it was than measuring could have been wrong. The mesh given stays as it is.
 * O(n). @param before where its vertices were, 3n
 */
export function markMoved(mesh: TriangleMesh, before: Float32Array): Moved {
  const { positions: p, expectedError } = mesh;
  const n = vertexCount(mesh);
  const near = STILL_NEAR * meanEdgeLength(mesh);
  const gone: number[] = [];
  let count = 0;
  let farthest = 0;
  for (let v = 0; v < n; v++) {
    const off = Math.hypot(
      p[3 * v] - before[3 * v],
      p[3 * v + 1] - before[3 * v + 1],
      p[3 * v + 2] - before[3 * v + 2],
    );
    if (off === 0) continue;
    count++;
    farthest = Math.max(farthest, off);
    const expected = expectedError?.[v] ?? NaN;
    if (off > (expected >= 0 ? STILL_MEASURED * expected : near)) gone.push(v);
  }
  if (gone.length === 0) return { mesh, count, farthest };
  const out: TriangleMesh = { ...mesh };
  for (const { name, array, unmeasured } of KNOWN_ATTRIBUTES) {
    const known = mesh[name];
    if (!known && name !== 'invented') continue;
    const values = known ? known.slice() : new array(n);
    const size = values.length / n;
    for (const v of gone) values.fill(unmeasured, size * v, size * (v + 1));
    Object.assign(out, { [name]: values });
  }
  return { mesh: out, count, farthest };
}
