import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { vertexCount, type NormalMesh, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { meanEdgeLength } from '../mesh/repair.js';
import type { RunContext } from '../runtime/run-context.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';

/** How far detail is looked for at each vertex of the light surface, mm: along its normal and against it. */
export interface Cage {
  outwards: Float32Array;
  inwards: Float32Array;
}

/** A ball, middle and radius in mm, in which detail is looked for so far on both sides whatever else is said. */
export interface ReachRegion {
  ball: readonly [number, number, number, number];
  reach: number;
}

/** Of how far the surfaces were found apart, detail is looked for a little farther. */
const SPARE = 1.5;
/** Of a wall, or of the room before it, so much at most: half of it belongs to the other side. */
const OWN_SHARE = 0.45;
/** Surfaces farther apart than this share of the size have nothing to do with each other. */
const FARTHEST = 0.05;
/** So many places of the dense surface tell how far it lies off. */
const MOST_PLACES = 400_000;

/**
 * The room about a light surface in which the dense one is looked for: at each vertex as far as the dense surface was found
 * off there, and a little farther, but not into another wall. O((n + m) log m).
 * @param reach the same distance everywhere, mm; 0 lets the surfaces tell
 */
export function cageOf(
  dense: TriangleMesh,
  light: NormalMesh,
  reach: number,
  regions: readonly ReachRegion[],
  ctx: RunContext,
): Cage {
  const n = vertexCount(light);
  const { positions: p } = light;
  const bvh = new TriangleBvh(light);
  const margin = meanEdgeLength(dense) / 2;
  let outwards = new Float32Array(n).fill(reach || margin);
  let inwards = outwards.slice();
  if (!(reach > 0)) {
    measureApart(dense, light, bvh, outwards, inwards, ctx);
    outwards = widened(light.indices, outwards);
    inwards = widened(light.indices, inwards);
    for (let v = 0; v < n; v++) {
      outwards[v] = SPARE * outwards[v] + margin;
      inwards[v] = SPARE * inwards[v] + margin;
    }
  }
  const from = new Float64Array(3);
  const along = new Float64Array(3);
  const room = (v: number, sign: number): number => {
    for (let k = 0; k < 3; k++) {
      along[k] = sign * light.normals[3 * v + k];
      from[k] = p[3 * v + k] + margin * along[k];
    }
    const free = bvh.firstHit(from, along, Infinity);
    return free < 0 ? Infinity : OWN_SHARE * (free + margin);
  };
  for (let v = 0; v < n; v++) {
    if ((v & 1023) === 0) ctx.checkpoint(0.7 + (0.3 * v) / n);
    outwards[v] = Math.min(outwards[v], room(v, 1));
    inwards[v] = Math.min(inwards[v], room(v, -1));
    // What is said of a place comes last, and of several the last.
    for (const { ball, reach: own } of regions)
      if (Math.hypot(p[3 * v] - ball[0], p[3 * v + 1] - ball[1], p[3 * v + 2] - ball[2]) <= ball[3])
        outwards[v] = inwards[v] = own;
  }
  return { outwards, inwards };
}

/** Farthest that the dense surface was found off about each vertex, to either side. */
function measureApart(
  dense: TriangleMesh,
  { positions: p, indices, normals }: NormalMesh,
  bvh: TriangleBvh,
  outwards: Float32Array,
  inwards: Float32Array,
  ctx: RunContext,
): void {
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const places = vertexCount(dense);
  const step = Math.max(1, Math.floor(places / MOST_PLACES));
  const farthest = FARTHEST * diagonalOf(boundsOf(p));
  for (let i = 0; i < places; i += step) {
    if ((i & 4095) < step) ctx.checkpoint((0.7 * i) / places);
    const [x, y, z] = dense.positions.subarray(3 * i, 3 * i + 3);
    if (!bvh.closest(x, y, z, farthest, hit)) continue;
    const t = 3 * hit.triangle;
    let side = 0;
    for (let k = 0; k < 3; k++) {
      const v = 3 * indices[t + k];
      side += (x - hit.x) * normals[v] + (y - hit.y) * normals[v + 1] + (z - hit.z) * normals[v + 2];
    }
    const distance = Math.sqrt(hit.squaredDistance);
    const list = side > 0 ? outwards : inwards;
    for (let k = 0; k < 3; k++) list[indices[t + k]] = Math.max(list[indices[t + k]], distance);
  }
}

/** Each vertex takes the greatest value of its neighbours. */
function widened(indices: Uint32Array, values: Float32Array): Float32Array<ArrayBuffer> {
  const out = values.slice();
  for (let h = 0; h < indices.length; h += 3) {
    const most = Math.max(values[indices[h]], values[indices[h + 1]], values[indices[h + 2]]);
    for (let k = 0; k < 3; k++) out[indices[h + k]] = Math.max(out[indices[h + k]], most);
  }
  return out;
}
