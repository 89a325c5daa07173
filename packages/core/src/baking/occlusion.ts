import { frameAbout, spreadDirections } from '../math/index.js';
import { vertexCount, type NormalMesh } from '../geometry/triangle-mesh.js';
import { mapTask } from '../runtime/map-task.js';
import type { RunContext } from '../runtime/run-context.js';
import { TriangleBvh } from '../spatial/triangle-bvh.js';

/** Plain data for the threads. */
export interface OcclusionTask {
  mesh: NormalMesh;
  rays: number;
  /** Nothing farther than this takes light away, mm. */
  reach: number;
  /** Lines of sight start so far before the surface, mm. */
  before: number;
  bvh?: TriangleBvh;
}

/** Lines of sight in all, more or less: that many take some seconds. */
const MOST_RAYS = 6e6;
const FEWEST = 12;
const MOST = 48;
/** Vertices that one thread takes at a time. */
const BATCH = 5000;
/** Times that each vertex takes half of what its neighbours have: lines of sight are few, and light is soft. */
const SOFTENED = 2;

/**
 * How much of an even light from everywhere reaches each vertex, 0–1: the share of its half space that is free, what is straight
 * ahead counting most. O(n · rays · log m).
 * Source: H. Landis (2002), Production-ready global illumination (ambient occlusion).
 */
export async function openToLight(
  mesh: NormalMesh,
  reach: number,
  before: number,
  ctx: RunContext,
): Promise<Float32Array> {
  const n = vertexCount(mesh);
  const rays = Math.round(Math.max(FEWEST, Math.min(MOST, MOST_RAYS / Math.max(1, n))));
  const ranges: [number, number][] = [];
  for (let from = 0; from < n; from += BATCH) ranges.push([from, Math.min(n, from + BATCH)]);
  const plain = { positions: mesh.positions, indices: mesh.indices, normals: mesh.normals };
  const parts = await mapTask('open-to-light', openToLightTask, { mesh: plain, rays, reach, before }, ranges, ctx);
  let out = new Float32Array(n);
  parts.forEach((part, i) => out.set(part, ranges[i][0]));
  for (let round = 0; round < SOFTENED; round++) out = softened(mesh.indices, out);
  return out;
}

/** The same for some vertices, from the first to before the last. */
export function openToLightTask(task: OcclusionTask, [from, to]: readonly [number, number]): Float32Array {
  task.bvh ??= new TriangleBvh(task.mesh);
  const { bvh, mesh, rays, reach, before } = task;
  const { positions: p, normals } = mesh;
  const spread = cosineSpread(rays);
  const frame = new Float64Array(9);
  const start = new Float64Array(3);
  const along = new Float64Array(3);
  const out = new Float32Array(to - from);
  for (let v = from; v < to; v++) {
    const [nx, ny, nz] = [normals[3 * v], normals[3 * v + 1], normals[3 * v + 2]];
    frameAbout(nx, ny, nz, frame);
    for (let k = 0; k < 3; k++) start[k] = p[3 * v + k] + before * normals[3 * v + k];
    // Each vertex looks in other directions (golden angle), so that what is missed shows as grain, not as bands.
    const turn = v * 2.399963;
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    let free = 0;
    for (let r = 0; r < rays; r++) {
      const x = cos * spread[3 * r] - sin * spread[3 * r + 1];
      const y = sin * spread[3 * r] + cos * spread[3 * r + 1];
      const z = spread[3 * r + 2];
      for (let k = 0; k < 3; k++) along[k] = x * frame[k] + y * frame[3 + k] + z * frame[6 + k];
      if (bvh.firstHit(start, along, reach) < 0) free++;
    }
    out[v - from] = free / rays;
  }
  return out;
}

/** Directions of a half space, upwards along Z, as dense as the cosine: evenly spread over the ball, and pushed up by one. */
function cosineSpread(n: number): Float64Array {
  const out = new Float64Array(3 * n);
  spreadDirections(n).forEach(([x, y, z], i) => {
    const l = Math.hypot(x, y, z + 1);
    out.set([x / l, y / l, (z + 1) / l], 3 * i);
  });
  return out;
}

function softened(indices: Uint32Array, values: Float32Array): Float32Array<ArrayBuffer> {
  const sum = new Float32Array(values.length);
  const count = new Uint16Array(values.length);
  for (let h = 0; h < indices.length; h += 3) {
    for (let k = 0; k < 3; k++) {
      sum[indices[h + k]] += values[indices[h + ((k + 1) % 3)]] + values[indices[h + ((k + 2) % 3)]];
      count[indices[h + k]] += 2;
    }
  }
  return Float32Array.from(values, (v, i) => (count[i] > 0 ? (v + sum[i] / count[i]) / 2 : v));
}
