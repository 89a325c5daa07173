import {
  vertexCount,
  vertexNormals,
  type BakedMap,
  type LightModel,
  type NormalMesh,
  type TriangleMesh,
} from '@amber-knit/core/geometry';
import { bakeMaps } from '@amber-knit/core/baking';
import { reduceMesh } from '@amber-knit/core/remeshing';
import { createRunContext } from '@amber-knit/core/runtime';
import { TriangleBvh, type SurfaceHit } from '@amber-knit/core/spatial';
import { ThreadPool } from '@amber-knit/threads';
import { benchObject, type BenchObjectName } from './objects.js';
import { sound } from './unwrap-trial.js';

export interface BakeManner {
  /** Triangles of the dense surface, about, and of the light one. */
  dense: number;
  light: number;
  mapSize: number;
  threads: number;
}

/**
 * Detail of a dense surface with a fine relief carried over to a light one: what the light one shows with its normal map, and
 * without, against the dense one, and what failed.
 */
export async function bakeTrial(names: BenchObjectName[], manner: BakeManner): Promise<void> {
  for (const name of names) {
    const dense = embossed(finer(sound(benchObject(name).mesh), manner.dense));
    const light = reduceMesh(dense, { triangles: manner.light, maxDeviation: 0 }, createRunContext());
    const pool = new ThreadPool(manner.threads);
    const started = performance.now();
    const r = await bakeMaps(dense, light, { mapSize: manner.mapSize }, createRunContext({ pool })).finally(() =>
      pool.close(),
    );
    const seconds = (performance.now() - started) / 1000;
    const { baked, bare } = angles(dense, r.model);
    const percent = (v: number): string => (100 * v).toFixed(2);
    console.log(
      `${name}, ${dense.indices.length / 3} to ${light.indices.length / 3} triangles, ${manner.mapSize}²: normals off by ${baked.toFixed(2)}° (bare ${bare.toFixed(2)}°), ` +
        `failed ${percent(r.failedShare)} % in ${r.failedPlaces} places, reach ${r.reach.toFixed(2)} mm, ${r.charts} charts, map ${percent(r.coverage)} %, ${seconds.toFixed(1)} s`,
    );
  }
}

/** Each triangle in four, until there are enough. */
function finer(mesh: TriangleMesh, triangles: number): TriangleMesh {
  let out = mesh;
  while (out.indices.length / 3 < triangles / 2) {
    const positions = Array.from(out.positions);
    const indices: number[] = [];
    const between = new Map<number, number>();
    const n = vertexCount(out);
    const middle = (a: number, b: number): number => {
      const key = Math.min(a, b) * n + Math.max(a, b);
      let v = between.get(key);
      if (v === undefined) {
        between.set(key, (v = positions.length / 3));
        for (let k = 0; k < 3; k++) positions.push((positions[3 * a + k] + positions[3 * b + k]) / 2);
      }
      return v;
    };
    for (let h = 0; h < out.indices.length; h += 3) {
      const [a, b, c] = out.indices.subarray(h, h + 3);
      const [x, y, z] = [middle(a, b), middle(b, c), middle(c, a)];
      for (const v of [a, x, z, x, b, y, z, y, c, x, y, z]) indices.push(v);
    }
    out = { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
  }
  return out;
}

/** With a relief some 3 mm wide and 0.3 mm high, which no light mesh holds. */
function embossed(mesh: TriangleMesh): TriangleMesh {
  const n = vertexNormals(mesh);
  const p = mesh.positions;
  const positions = p.slice();
  for (let v = 0; v < p.length; v += 3) {
    const h = 0.1 * (Math.sin(2 * p[v]) + Math.sin(2.2 * p[v + 1]) + Math.sin(1.9 * p[v + 2]));
    for (let k = 0; k < 3; k++) positions[v + k] += h * n[v + k];
  }
  return { positions, indices: mesh.indices };
}

/** Mean angles, by places spread over the dense surface, between its normals and those of the light one with and without its map. */
function angles(dense: TriangleMesh, model: LightModel): { baked: number; bare: number } {
  const normals = vertexNormals(dense);
  const map = model.maps.find((m) => m.kind === 'normal')!;
  const bvh = new TriangleBvh(model);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const n = vertexCount(dense);
  const sums = [0, 0];
  let count = 0;
  for (let v = 0; v < n; v += 17) {
    bvh.closest(dense.positions[3 * v], dense.positions[3 * v + 1], dense.positions[3 * v + 2], Infinity, hit);
    const shown = shownNormal(model, map, hit);
    [shown.baked, shown.bare].forEach((s, i) => {
      const dot = s[0] * normals[3 * v] + s[1] * normals[3 * v + 1] + s[2] * normals[3 * v + 2];
      sums[i] += (Math.acos(Math.max(-1, Math.min(1, dot))) * 180) / Math.PI;
    });
    count++;
  }
  return { baked: sums[0] / count, bare: sums[1] / count };
}

/** What a reader of glTF 2.0 makes of a place: the map's normal in the frame of normal, tangent and bitangent. */
function shownNormal(
  model: LightModel & NormalMesh,
  { data, width, height }: BakedMap,
  { triangle: t, v, w }: SurfaceHit,
): { baked: number[]; bare: number[] } {
  const s = [1 - v - w, v, w];
  const mix = (of: (corner: number, k: number) => number): number[] =>
    unit([0, 1, 2].map((k) => s.reduce((sum, share, c) => sum + share * of(c, k), 0)));
  const bare = mix((c, k) => model.normals[3 * model.indices[3 * t + c] + k]);
  const tangent = mix((c, k) => model.cornerTangents[12 * t + 4 * c + k]);
  const sign = model.cornerTangents[12 * t + 3];
  const bitangent = unit([
    sign * (bare[1] * tangent[2] - bare[2] * tangent[1]),
    sign * (bare[2] * tangent[0] - bare[0] * tangent[2]),
    sign * (bare[0] * tangent[1] - bare[1] * tangent[0]),
  ]);
  const uv = [0, 1].map((k) => s.reduce((sum, share, c) => sum + share * model.cornerUvs[6 * t + 2 * c + k], 0));
  const at =
    3 *
    (Math.min(height - 1, Math.floor((1 - uv[1]) * height)) * width + Math.min(width - 1, Math.floor(uv[0] * width)));
  const m = [0, 1, 2].map((k) => data[at + k] / 127.5 - 1);
  return { baked: unit([0, 1, 2].map((k) => m[0] * tangent[k] + m[1] * bitangent[k] + m[2] * bare[k])), bare };
}

function unit(v: number[]): number[] {
  const l = Math.hypot(v[0], v[1], v[2]) || 1;
  return v.map((c) => c / l);
}
