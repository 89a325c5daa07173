import type { NormalMesh, TriangleMesh } from '../geometry/triangle-mesh.js';
import { mapTask } from '../runtime/map-task.js';
import type { RunContext } from '../runtime/run-context.js';
import { cornerShares, type MapTexels } from '../unwrapping/index.js';
import type { Cage } from './cage.js';
import { DetailSearcher, MISSED } from './detail-searcher.js';

/** What was found of the dense surface from each texel, or from several places of each. */
export interface FoundDetail {
  /** Places looked from in each texel. */
  samples: number;
  /** Per sample how the search came out: `FOUND`, `MISSED`, … */
  state: Uint8Array;
  /** Triangle of the dense surface, and the shares of its second and third corner. */
  triangle: Uint32Array;
  v: Float32Array;
  w: Float32Array;
  /** How far along the light surface's normal, mm. */
  offset: Float32Array;
}

/** What looking for detail needs to know; plain data, since it may be copied to other threads. */
export interface DetailTask {
  dense: TriangleMesh;
  light: NormalMesh;
  cage: Cage;
  cornerPixels: Float32Array;
  size: number;
  texels: MapTexels;
  /** Places looked from along each side of a texel. */
  across: number;
  /** Made once on each thread. */
  searcher?: DetailSearcher;
}

/** Triangles of the light surface, from the first to before the last. */
export type TriangleRange = readonly [number, number];

/** Texels that are looked at by one thread at a time. */
const BATCH = 40_000;

/** Looks for the dense surface from every texel of a map, on all threads. O(texels log m). */
export async function findDetail(task: DetailTask, ctx: RunContext): Promise<FoundDetail> {
  const { first } = task.texels;
  const m = first.length - 1;
  const ranges: TriangleRange[] = [];
  for (let from = 0, t = 1; t <= m; t++) {
    if (first[t] - first[from] < BATCH && t < m) continue;
    ranges.push([from, t]);
    from = t;
  }
  const parts = await mapTask('find-detail', findDetailTask, task, ranges, ctx);
  const samples = task.across ** 2;
  const n = samples * first[m];
  const out: FoundDetail = {
    samples,
    state: new Uint8Array(n),
    triangle: new Uint32Array(n),
    v: new Float32Array(n),
    w: new Float32Array(n),
    offset: new Float32Array(n),
  };
  parts.forEach((part, i) => {
    const at = samples * first[ranges[i][0]];
    out.state.set(part.state, at);
    out.triangle.set(part.triangle, at);
    out.v.set(part.v, at);
    out.w.set(part.w, at);
    out.offset.set(part.offset, at);
  });
  return out;
}

/** Looks for the dense surface from the texels of some triangles. */
export function findDetailTask(task: DetailTask, [from, to]: TriangleRange): FoundDetail {
  task.searcher ??= new DetailSearcher(task.dense);
  const { searcher, light, cage, cornerPixels, size, across } = task;
  const { positions: p, indices, normals } = light;
  const { texel, first } = task.texels;
  const samples = across * across;
  const n = samples * (first[to] - first[from]);
  const out: FoundDetail = {
    samples,
    state: new Uint8Array(n).fill(MISSED),
    triangle: new Uint32Array(n),
    v: new Float32Array(n),
    w: new Float32Array(n),
    offset: new Float32Array(n),
  };
  const share = new Float64Array(3);
  const place = new Float64Array(3);
  const along = new Float64Array(3);
  let at = 0;
  for (let t = from; t < to; t++) {
    const [a, b, c] = [indices[3 * t], indices[3 * t + 1], indices[3 * t + 2]];
    for (let i = first[t]; i < first[t + 1]; i++) {
      const x = texel[i] % size;
      const y = Math.floor(texel[i] / size);
      for (let s = 0; s < samples; s++, at++) {
        const px = x + ((s % across) + 0.5) / across;
        const py = y + (Math.floor(s / across) + 0.5) / across;
        if (!cornerShares(cornerPixels, t, px, py, share)) continue;
        let length = 0;
        for (let k = 0; k < 3; k++) {
          place[k] = share[0] * p[3 * a + k] + share[1] * p[3 * b + k] + share[2] * p[3 * c + k];
          along[k] = share[0] * normals[3 * a + k] + share[1] * normals[3 * b + k] + share[2] * normals[3 * c + k];
          length += along[k] * along[k];
        }
        if (!(length > 0)) continue;
        length = Math.sqrt(length);
        for (let k = 0; k < 3; k++) along[k] /= length;
        const { outwards: o, inwards: w } = cage;
        out.state[at] = searcher.find(
          place,
          along,
          share[0] * o[a] + share[1] * o[b] + share[2] * o[c],
          share[0] * w[a] + share[1] * w[b] + share[2] * w[c],
        );
        out.triangle[at] = searcher.triangle;
        out.v[at] = searcher.v;
        out.w[at] = searcher.w;
        out.offset[at] = searcher.offset;
      }
    }
  }
  return out;
}
