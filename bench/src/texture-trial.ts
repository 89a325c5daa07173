import {
  deltaE2000,
  labOfLight,
  LIGHT_OF_SRGB,
  vertexNormals,
  type TexturedMesh,
  type TriangleMesh,
} from '@amber-knit/core/geometry';
import { identity } from '@amber-knit/core/math';
import { createRunContext, type RunContext } from '@amber-knit/core/runtime';
import { PointGrid } from '@amber-knit/core/spatial';
import { textureMesh, type TextureMeshOptions } from '@amber-knit/core/texture';
import { ThreadPool } from '@amber-knit/threads';
import { benchObject, type BenchObjectName } from './objects.js';
import { paintedViews, paintOf, type Paint, type PaintedViews, type PaintedViewsOptions } from './painted-views.js';
import { sound } from './unwrap-trial.js';

export interface TextureManner {
  mapSize: number;
  frames: number;
  /** Planted error of each frame's pose. */
  poses: boolean;
  threads: number;
}

/** How far a coloured map lies off the paint. */
export interface ColorError {
  mean: number;
  median: number;
  /** Spread of the smoothed ratio of luminance to the paint's, and of its red and blue against green. */
  lightLeft: number;
  tint: number;
  /** Shares of the surface more than 12 L* too bright or too dark, smoothed. */
  bright: number;
  dark: number;
  /** Of what is 0.5 to 1 mm fine: correlation with the paint, and how much of its contrast is left. */
  correlation: number;
  contrast: number;
  /** Colour step across chart borders beyond that of the paint. */
  seam: number;
}

/**
 * A painted body under hard light, coloured from its pictures and held against its paint; beside it the ceiling: the same
 * views in even light with true poses.
 */
export async function textureTrial(names: BenchObjectName[], seeds: number[], manner: TextureManner): Promise<void> {
  const pool = manner.threads > 1 ? new ThreadPool(manner.threads) : undefined;
  const ctx = createRunContext({ pool });
  for (const name of names) {
    const mesh = sound(benchObject(name).mesh);
    for (const seed of seeds) {
      const paint = paintOf(seed);
      const views = { frames: manner.frames, seed };
      await row(ctx, `${name} seed ${seed} ceiling`, mesh, paint, { ...views, evenLight: true }, manner, {
        light: 'as-seen',
      });
      await row(ctx, `${name} seed ${seed}`, mesh, paint, views, manner, {});
      if (manner.poses) {
        const off = { ...views, poseShift: 0.4, poseTurn: 0.15 };
        await row(ctx, `${name} seed ${seed} poses off`, mesh, paint, off, manner, {});
      }
    }
  }
  await pool?.close();
}

async function row(
  ctx: RunContext,
  title: string,
  mesh: TriangleMesh,
  paint: Paint,
  options: Partial<PaintedViewsOptions>,
  manner: TextureManner,
  how: Partial<TextureMeshOptions>,
): Promise<void> {
  const views = paintedViews(mesh, paint, options);
  const placements = views.scans.map((s) => ({
    name: s.name,
    state: 'registered' as const,
    pieceFromScan: identity(),
  }));
  const started = performance.now();
  const r = await textureMesh(mesh, views.scans, placements, { mapSize: manner.mapSize, ...how }, ctx);
  const seconds = (performance.now() - started) / 1000;
  const e = colorError(r.mesh, paint, views);
  const percent = (v: number): string => (100 * v).toFixed(1);
  console.log(
    `${title}: ΔE ${e.mean.toFixed(2)} mean ${e.median.toFixed(2)} median, light left ${percent(e.lightLeft)} %, tint ${percent(e.tint)} %, ` +
      `bright ${percent(e.bright)} % dark ${percent(e.dark)} %, fine ${e.correlation.toFixed(3)} ${e.contrast.toFixed(2)}, seam ${e.seam.toFixed(2)}; ` +
      `${r.charts} charts, map ${percent(r.coverage)} %, stretch ${r.stretch95.toFixed(2)}, seen ${percent(r.seenRatio)} %, ${seconds.toFixed(1)} s`,
  );
}

interface Texels {
  count: number;
  /** Number in the map, place and normal on the surface, light of the paint. */
  texel: Uint32Array;
  place: Float32Array;
  normal: Float32Array;
  paint: Float32Array;
}

/** Texels whose middle lies in a triangle that some frame sees. */
function texelsOf(mesh: TexturedMesh, paint: Paint, seen: Uint8Array): Texels {
  const { width, height } = mesh.texture;
  const normals = mesh.normals ?? vertexNormals(mesh);
  const texel: number[] = [];
  const place: number[] = [];
  const normal: number[] = [];
  const light: number[] = [];
  const taken = new Uint8Array(width * height);
  const out = new Float64Array(3);
  const q = mesh.cornerUvs;
  for (let t = 0; t < mesh.indices.length / 3; t++) {
    const ids = [0, 1, 2].map((k) => mesh.indices[3 * t + k]);
    if (ids.some((v) => !seen[v])) continue;
    const x = [0, 1, 2].map((k) => q[6 * t + 2 * k] * width);
    const y = [0, 1, 2].map((k) => (1 - q[6 * t + 2 * k + 1]) * height);
    const area = (x[1] - x[0]) * (y[2] - y[0]) - (x[2] - x[0]) * (y[1] - y[0]);
    if (area === 0) continue;
    for (let v = Math.max(0, Math.floor(Math.min(...y))); v <= Math.min(height - 1, Math.max(...y)); v++) {
      for (let u = Math.max(0, Math.floor(Math.min(...x))); u <= Math.min(width - 1, Math.max(...x)); u++) {
        const a = ((x[1] - u - 0.5) * (y[2] - v - 0.5) - (x[2] - u - 0.5) * (y[1] - v - 0.5)) / area;
        const b = ((x[2] - u - 0.5) * (y[0] - v - 0.5) - (x[0] - u - 0.5) * (y[2] - v - 0.5)) / area;
        if (a < 0 || b < 0 || a + b > 1 || taken[v * width + u]) continue;
        taken[v * width + u] = 1;
        const w = [a, b, 1 - a - b];
        const at = [0, 1, 2].map((k) => w.reduce((s, f, i) => s + f * mesh.positions[3 * ids[i] + k], 0));
        paint(at[0], at[1], at[2], out);
        texel.push(v * width + u);
        place.push(...at);
        normal.push(...[0, 1, 2].map((k) => normals[3 * ids[0] + k]));
        light.push(...out);
      }
    }
  }
  return {
    count: texel.length,
    texel: Uint32Array.from(texel),
    place: Float32Array.from(place),
    normal: Float32Array.from(normal),
    paint: Float32Array.from(light),
  };
}

/** Vertices that at least one frame sees at less than 70°, by its own measured depth. */
function seenVertices(mesh: TriangleMesh, { scans, truePoses }: PaintedViews): Uint8Array {
  const normals = mesh.normals ?? vertexNormals(mesh);
  const p = mesh.positions;
  const out = new Uint8Array(p.length / 3);
  scans
    .flatMap((s) => s.frames!)
    .forEach((frame, i) => {
      const m = truePoses[i];
      const { fx, fy, cx, cy, width, height } = frame.camera;
      for (let v = 0; v < out.length; v++) {
        const d = [0, 1, 2].map((k) => p[3 * v + k] - m[12 + k]);
        const z = d[0] * m[8] + d[1] * m[9] + d[2] * m[10];
        const u = Math.round((fx * (d[0] * m[0] + d[1] * m[1] + d[2] * m[2])) / z + cx);
        const w = Math.round((fy * (d[0] * m[4] + d[1] * m[5] + d[2] * m[6])) / z + cy);
        if (!(u >= 0 && w >= 0 && u < width && w < height)) continue;
        const facing =
          -(d[0] * normals[3 * v] + d[1] * normals[3 * v + 1] + d[2] * normals[3 * v + 2]) / Math.hypot(...d);
        if (facing > 0.34 && Math.abs(frame.depth[w * width + u] - z) < 1.5) out[v] = 1;
      }
    });
  return out;
}

/** Compares a coloured map with the paint, after one gain a channel. */
export function colorError(mesh: TexturedMesh, paint: Paint, views: PaintedViews): ColorError {
  const x = texelsOf(mesh, paint, seenVertices(mesh, views));
  const got = new Float32Array(3 * x.count);
  for (let i = 0; i < x.count; i++)
    for (let k = 0; k < 3; k++) got[3 * i + k] = LIGHT_OF_SRGB[mesh.texture.data[3 * x.texel[i] + k]];
  const gain = [0, 1, 2].map((k) => {
    const ratios: number[] = [];
    for (let i = 0; i < x.count; i += 7) ratios.push(x.paint[3 * i + k] / Math.max(1e-3, got[3 * i + k]));
    return ratios.sort((a, b) => a - b)[Math.floor(ratios.length / 2)];
  });
  for (let i = 0; i < got.length; i++) got[i] *= gain[i % 3];
  const labGot = new Float32Array(3 * x.count);
  const labTrue = new Float32Array(3 * x.count);
  const differences = new Float64Array(x.count);
  let sum = 0;
  for (let i = 0; i < x.count; i++) {
    labOfLight(got[3 * i], got[3 * i + 1], got[3 * i + 2], labGot, 3 * i);
    labOfLight(x.paint[3 * i], x.paint[3 * i + 1], x.paint[3 * i + 2], labTrue, 3 * i);
    differences[i] = deltaE2000(labGot.subarray(3 * i, 3 * i + 3), labTrue.subarray(3 * i, 3 * i + 3));
    sum += differences[i];
  }
  const median = differences.slice().sort()[Math.floor(x.count / 2)];
  return {
    mean: sum / x.count,
    median,
    ...smoothErrors(x, got, labGot, labTrue),
    ...fineErrors(mesh, x, labGot, labTrue),
    seam: seamStep(mesh, paint, gain),
  };
}

const SMOOTH = 10;
const NEAR = 2.5;

/** What is wrong over wide areas. */
function smoothErrors(
  x: Texels,
  got: Float32Array,
  labGot: Float32Array,
  labTrue: Float32Array,
): Pick<ColorError, 'lightLeft' | 'tint' | 'bright' | 'dark'> {
  // A few texels stand for all: they lie evenly over the surface.
  const step = Math.max(1, Math.floor(x.count / 40_000));
  const chosen = Array.from({ length: Math.floor(x.count / step) }, (_, i) => i * step);
  const places = new Float32Array(3 * chosen.length);
  chosen.forEach((i, k) => places.set(x.place.subarray(3 * i, 3 * i + 3), 3 * k));
  const grid = new PointGrid(places, NEAR);
  const around = new Uint32Array(chosen.length);
  const squared = new Float32Array(chosen.length);
  const luma: number[] = [];
  const red: number[] = [];
  const blue: number[] = [];
  let bright = 0;
  let dark = 0;
  const ratio = (i: number, k: number): number => Math.log(Math.max(1e-3, got[3 * i + k]) / x.paint[3 * i + k]);
  const sameSide = (i: number, j: number): boolean =>
    x.normal[3 * i] * x.normal[3 * j] +
      x.normal[3 * i + 1] * x.normal[3 * j + 1] +
      x.normal[3 * i + 2] * x.normal[3 * j + 2] >
    0.6;
  for (let c = 0; c < chosen.length; c++) {
    const i = chosen[c];
    let wide = 0;
    const s = [0, 0, 0];
    let close = 0;
    let lift = 0;
    const found = grid.within(
      places[3 * c],
      places[3 * c + 1],
      places[3 * c + 2],
      c % 8 ? NEAR : SMOOTH,
      around,
      squared,
    );
    for (let f = 0; f < found; f++) {
      const j = chosen[around[f]];
      if (!sameSide(i, j)) continue;
      if (squared[f] < NEAR * NEAR) {
        close++;
        lift += labGot[3 * j] - labTrue[3 * j];
      }
      wide++;
      for (let k = 0; k < 3; k++) s[k] += ratio(j, k);
    }
    if (lift / close > 12) bright++;
    else if (lift / close < -12) dark++;
    if (c % 8 !== 0) continue;
    luma.push((0.2126 * s[0] + 0.7152 * s[1] + 0.0722 * s[2]) / wide);
    red.push((s[0] - s[1]) / wide);
    blue.push((s[2] - s[1]) / wide);
  }
  return {
    lightLeft: deviation(luma),
    tint: Math.sqrt((deviation(red) ** 2 + deviation(blue) ** 2) / 2),
    bright: bright / chosen.length,
    dark: dark / chosen.length,
  };
}

function deviation(values: number[]): number {
  const mean = values.reduce((s, v) => s + v, 0) / values.length;
  return Math.sqrt(values.reduce((s, v) => s + (v - mean) ** 2, 0) / values.length);
}

/** What is 0.5 to 1 mm fine, in the map: means over 0.5 mm less means over 1 mm, lightness. */
function fineErrors(
  mesh: TexturedMesh,
  x: Texels,
  labGot: Float32Array,
  labTrue: Float32Array,
): Pick<ColorError, 'correlation' | 'contrast'> {
  const { width, height } = mesh.texture;
  let pixels = 0;
  let surface = 0;
  const q = mesh.cornerUvs;
  const p = mesh.positions;
  for (let t = 0; t < mesh.indices.length / 3; t++) {
    pixels += Math.hypot((q[6 * t + 2] - q[6 * t]) * width, (q[6 * t + 3] - q[6 * t + 1]) * height);
    const [a, b] = [mesh.indices[3 * t], mesh.indices[3 * t + 1]];
    surface += Math.hypot(p[3 * a] - p[3 * b], p[3 * a + 1] - p[3 * b + 1], p[3 * a + 2] - p[3 * b + 2]);
  }
  const density = pixels / surface;
  const rowOf = new Int32Array(width * height).fill(-1);
  for (let i = 0; i < x.count; i++) rowOf[x.texel[i]] = i;
  const half = (mm: number): number => Math.max(1, Math.round((mm * density) / 2));
  const [narrow, wide] = [half(0.5), Math.max(half(0.5) + 1, half(1.2))];
  let [n, sg, st, gg, tt, gt] = [0, 0, 0, 0, 0, 0];
  for (let i = 0; i < x.count; i += 5) {
    const u = x.texel[i] % width;
    const v = Math.floor(x.texel[i] / width);
    const sums = [0, 0, 0, 0];
    const counts = [0, 0];
    for (let dv = -wide; dv <= wide; dv++) {
      for (let du = -wide; du <= wide; du++) {
        const j = rowOf[(v + dv) * width + u + du];
        if (j === undefined || j < 0) continue;
        const inner = Math.abs(du) <= narrow && Math.abs(dv) <= narrow ? 1 : 0;
        counts[0]++;
        sums[0] += labGot[3 * j];
        sums[1] += labTrue[3 * j];
        counts[1] += inner;
        sums[2] += inner * labGot[3 * j];
        sums[3] += inner * labTrue[3 * j];
      }
    }
    if (counts[0] < (2 * wide + 1) ** 2) continue;
    const g = sums[2] / counts[1] - sums[0] / counts[0];
    const w = sums[3] / counts[1] - sums[1] / counts[0];
    n++;
    sg += g;
    st += w;
    gg += g * g;
    tt += w * w;
    gt += g * w;
  }
  const [vg, vt] = [gg / n - (sg / n) ** 2, tt / n - (st / n) ** 2];
  return { correlation: (gt / n - (sg * st) / n ** 2) / Math.sqrt(vg * vt), contrast: Math.sqrt(vg / vt) };
}

/** Mean colour step between two places half a millimetre to each side of edges where the map is cut, less that of other edges. */
function seamStep(mesh: TexturedMesh, paint: Paint, gain: number[]): number {
  const { width, height, data } = mesh.texture;
  const first = new Map<number, number>();
  const n = mesh.positions.length / 3;
  const at = new Float64Array(3);
  const colorAt = (t: number, w: number[], lab: Float64Array): void => {
    const q = mesh.cornerUvs.subarray(6 * t, 6 * t + 6);
    const u = Math.min(width - 1, Math.floor((w[0] * q[0] + w[1] * q[2] + w[2] * q[4]) * width));
    const v = Math.min(height - 1, Math.floor((1 - (w[0] * q[1] + w[1] * q[3] + w[2] * q[5])) * height));
    const l = [0, 1, 2].map((k) => gain[k] * LIGHT_OF_SRGB[data[3 * (v * width + u) + k]]);
    labOfLight(l[0], l[1], l[2], lab);
  };
  const paintAt = (t: number, w: number[], lab: Float64Array): void => {
    const c = [0, 1, 2].map((k) => w.reduce((s, f, i) => s + f * mesh.positions[3 * mesh.indices[3 * t + i] + k], 0));
    paint(c[0], c[1], c[2], at);
    labOfLight(at[0], at[1], at[2], lab);
  };
  const near = (k: number): number[] => [0, 1, 2].map((i) => (i === (k + 2) % 3 ? 0.2 : 0.4));
  const step = { cut: 0, cuts: 0, other: 0, others: 0 };
  const labs = [0, 1].map(() => new Float64Array(3));
  for (let h = 0; h < mesh.indices.length; h++) {
    const [t, k] = [Math.floor(h / 3), h % 3];
    const a = mesh.indices[h];
    const b = mesh.indices[3 * t + ((k + 1) % 3)];
    const other = first.get(b * n + a);
    first.set(a * n + b, h);
    if (other === undefined) continue;
    const [u, l] = [Math.floor(other / 3), other % 3];
    const q = mesh.cornerUvs;
    const joined =
      Math.abs(q[2 * h] - q[6 * u + 2 * ((l + 1) % 3)]) < 1e-6 &&
      Math.abs(q[2 * h + 1] - q[6 * u + 2 * ((l + 1) % 3) + 1]) < 1e-6;
    if (joined && h % 17) continue;
    colorAt(t, near(k), labs[0]);
    colorAt(u, near(l), labs[1]);
    const seen = deltaE2000(labs[0], labs[1]);
    paintAt(t, near(k), labs[0]);
    paintAt(u, near(l), labs[1]);
    const extra = seen - deltaE2000(labs[0], labs[1]);
    if (joined) {
      step.other += extra;
      step.others++;
    } else {
      step.cut += extra;
      step.cuts++;
    }
  }
  return step.cuts ? step.cut / step.cuts - step.other / Math.max(1, step.others) : 0;
}
