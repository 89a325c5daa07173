import { vertexCount, vertexNormals, type TriangleMesh } from '@amber-knit/core/geometry';
import { bakeMaps, normalsOff } from '@amber-knit/core/baking';
import { reduceMesh } from '@amber-knit/core/remeshing';
import { createRunContext } from '@amber-knit/core/runtime';
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
    const degrees = (radians: number): string => ((radians * 180) / Math.PI).toFixed(2);
    const percent = (v: number): string => (100 * v).toFixed(2);
    console.log(
      `${name}, ${dense.indices.length / 3} to ${light.indices.length / 3} triangles, ${manner.mapSize}²: normals off by ${degrees(r.normalsOff)}° (bare ${degrees(normalsOff(dense, r.model, false))}°), ` +
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
