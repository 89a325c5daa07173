import { gatherVertices, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { dot3, normalize3, perpendiculars, type Vec3 } from '../math/mat4.js';
import { listHoles } from '../mending/holes.js';
import { Patch } from '../mending/patch.js';
import { PatchedMesh } from '../mending/patched-mesh.js';
import { makeManifold, meanEdgeLength } from '../mesh/repair.js';
import { nextHalfEdge } from '../mesh/topology.js';
import { cannot, type CutEdit } from './hand-edit.js';
import { triangulateOutlines } from './triangulate-outlines.js';

/** A vertex this near to the plane, in mean edges, lies on it. */
const ON_PLANE = 1e-4;
/** Vertices of a cap beyond its rim at most, and how its edges grow inwards. */
const MOST_INSIDE = 4000;
const GROWTH = 1.15;

/**
 * Keeps the side of a plane that its normal points to. Triangles that the plane crosses are cut exactly; the new vertices
 * know what the nearer end of their edge knows. With `cap` the outlines are closed by a flat face, around hollows too; it
 * is marked invented. O(n + m), for a cap O(rim²).
 * @returns the surface, and how many outlines stayed open
 * @throws GeometryError `invalid-parameter` if nothing would be left or nothing would be cut
 */
export function cutByPlane(mesh: TriangleMesh, { at, normal, cap }: CutEdit): { mesh: TriangleMesh; leftOpen: number } {
  const n = normalize3([...normal] as Vec3);
  const base = dot3(n, [...at] as Vec3);
  const near = ON_PLANE * meanEdgeLength(mesh);
  const height = (p: Float32Array, v: number): number => {
    const h = n[0] * p[3 * v] + n[1] * p[3 * v + 1] + n[2] * p[3 * v + 2] - base;
    return Math.abs(h) < near ? 0 : h;
  };
  if (!mesh.indices.some((v) => height(mesh.positions, v) < 0))
    throw cannot('The plane misses the surface: nothing was cut.');
  const cut = clip(mesh, height);
  if (cut.indices.length === 0)
    throw cannot('Nothing of the surface lies on the side that is kept. Turn the cut round.');
  const { mesh: sound } = makeManifold(cut);
  if (!cap) return { mesh: sound, leftOpen: 0 };
  // The new vertices are rounded to single precision.
  const rounded = Math.max(2 * near, 1e-5 * Math.max(1, Math.abs(base)));
  const rims = listHoles(sound)
    .map((h) => h.rim)
    .filter((rim) => rim.every((v) => Math.abs(height(sound.positions, v)) <= rounded));
  return capped(sound, rims, n);
}

function clip(mesh: TriangleMesh, height: (p: Float32Array, v: number) => number): TriangleMesh {
  const { positions: p, indices } = mesh;
  const count = vertexCount(mesh);
  const heights = new Float64Array(count);
  for (let v = 0; v < count; v++) heights[v] = height(p, v);
  const oldFromNew: number[] = [];
  const newFromOld = new Int32Array(count).fill(-1);
  const places: number[] = [];
  const keepVertex = (v: number): number => {
    if (newFromOld[v] < 0) newFromOld[v] = add(v, p[3 * v], p[3 * v + 1], p[3 * v + 2]);
    return newFromOld[v];
  };
  const add = (from: number, x: number, y: number, z: number): number => {
    oldFromNew.push(from);
    places.push(x, y, z);
    return oldFromNew.length - 1;
  };
  const cuts = new Map<number, number>();
  const cutVertex = (a: number, b: number): number => {
    const [low, high] = a < b ? [a, b] : [b, a];
    const key = low * count + high;
    const known = cuts.get(key);
    if (known !== undefined) return known;
    const s = heights[low] / (heights[low] - heights[high]);
    const [x, y, z] = [0, 1, 2].map((k) => p[3 * low + k] + s * (p[3 * high + k] - p[3 * low + k]));
    const made = add(s < 0.5 ? low : high, x, y, z);
    cuts.set(key, made);
    return made;
  };
  const out: number[] = [];
  const polygon: number[] = [];
  for (let t = 0; t < indices.length; t += 3) {
    polygon.length = 0;
    let above = false;
    for (let h = t; h < t + 3; h++) {
      const [a, b] = [indices[h], indices[nextHalfEdge(h)]];
      above ||= heights[a] > 0;
      if (heights[a] >= 0) polygon.push(keepVertex(a));
      if (heights[a] * heights[b] < 0) polygon.push(cutVertex(a, b));
    }
    if (!above || polygon.length < 3) continue;
    if (polygon.length === 4 && longer(places, polygon)) polygon.push(polygon.shift()!);
    for (let k = 1; k + 1 < polygon.length; k++) out.push(polygon[0], polygon[k], polygon[k + 1]);
  }
  const cut = gatherVertices(mesh, oldFromNew, Uint32Array.from(out));
  cut.positions.set(places);
  return cut;
}

/** Is the first diagonal of four corners the longer one? */
function longer(p: readonly number[], [a, b, c, d]: readonly number[]): boolean {
  const squared = (v: number, w: number): number =>
    (p[3 * v] - p[3 * w]) ** 2 + (p[3 * v + 1] - p[3 * w + 1]) ** 2 + (p[3 * v + 2] - p[3 * w + 2]) ** 2;
  return squared(a, c) > squared(b, d);
}

/** Closes outlines in a plane, from the side against its normal. */
function capped(
  mesh: TriangleMesh,
  rims: readonly Uint32Array[],
  normal: Vec3,
): { mesh: TriangleMesh; leftOpen: number } {
  const p = mesh.positions;
  // Seen from outside the cap, so counter-clockwise outlines bound material.
  const [u, v] = perpendiculars([-normal[0], -normal[1], -normal[2]]);
  const numbers = new Map<number, number>();
  // The cap runs against the triangles beside its rim.
  const outlines = rims.map((rim) => Array.from(rim).reverse());
  for (const outline of outlines) for (const w of outline) if (!numbers.has(w)) numbers.set(w, numbers.size);
  const all = Array.from(numbers.keys());
  const flat = new Float64Array(2 * all.length);
  const points = new Float64Array(3 * all.length);
  all.forEach((w, i) => {
    const q: Vec3 = [p[3 * w], p[3 * w + 1], p[3 * w + 2]];
    flat[2 * i] = dot3(u, q);
    flat[2 * i + 1] = dot3(v, q);
    points.set(q, 3 * i);
  });
  const local = outlines.map((outline) => outline.map((w) => numbers.get(w)!));
  const { triangles, left } = triangulateOutlines(flat, local);
  if (triangles.length === 0) return { mesh, leftOpen: left.length };
  const wanted = new Float64Array(all.length);
  for (const outline of local)
    outline.forEach((a, i) => {
      const b = outline[(i + 1) % outline.length];
      const l = Math.hypot(...[0, 1, 2].map((k) => points[3 * a + k] - points[3 * b + k]));
      wanted[a] += 0.55 * l;
      wanted[b] += 0.55 * l;
    });
  const patch = new Patch(points, triangles, wanted, () => false, [], GROWTH);
  patch.refine(all.length + MOST_INSIDE);
  const patched = new PatchedMesh(mesh);
  patched.add({ rim: Uint32Array.from(all), positions: patch.positions, triangles: patch.triangles });
  return { mesh: patched.finish(), leftOpen: left.length };
}
