import type { DepthFrame } from '../geometry/depth-frame.js';
import { pointCount } from '../geometry/point-cloud.js';
import { sensorPositions, type Placement, type Scan } from '../geometry/scan.js';
import { multiply, rotateVectors, transformPoint, transformPoints, type Mat4 } from '../math/mat4.js';
import { estimateNoise } from '../pointcloud/noise.js';
import { estimateNormals } from '../pointcloud/normals.js';
import { estimateSpacing } from '../pointcloud/spacing.js';
import { GrowingArray } from '../runtime/growing-array.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import { incidence } from './integrate-frame.js';

/** Expected error differs with the incidence: so many classes of its cosine. */
export const INCIDENCES = 8;

/**
 * All points of the placed scans in the piece's frame, lying together as they do in space. What is known of each: its
 * scan, and the direction it was seen from.
 */
export interface MeasuredPoints {
  count: number;
  /** 3 per point, mm. */
  positions: Float32Array;
  /** Towards the sensor, unit, 3 per point; the normal where no sensor place is known. */
  towardsSensor: Float32Array;
  /** Distance of the sensor, mm; NaN where its place is not known. */
  range: Float32Array;
  /** Number of the scan among the placed ones. */
  scan: Uint16Array;
  /** How much each point counts by what a person said of its scan there, up to 1; all 1 if absent. */
  trust?: Float32Array;
  colors?: Uint8Array;
  scans: string[];
  /** Of the middle scan, mm. */
  spacing: number;
  /** Nothing finer than this is looked for, mm: the spacing, or more for a coarser surface. */
  grain: number;
  /** Variance of a point off the surface, mm², by scan and class of incidence. */
  variance: Float64Array;
  grid: PointGrid;
}

/**
 * Points without noise, such as computed ones, still lie off a patch by what is between them: a hundredth of their spacing, mm².
 */
export const leastVariance = (spacing: number): number => (0.01 * spacing) ** 2;

/** Row of a point's variance, for a cosine of the incidence from 0 to 1. */
export function incidenceClass(cosine: number): number {
  const k = (cosine * INCIDENCES) | 0;
  return k < INCIDENCES ? k : INCIDENCES - 1;
}

/** Points of one scan in the piece's frame. */
interface ScanPoints {
  positions: Float32Array;
  towardsSensor: Float32Array;
  range: Float32Array;
  colors?: Uint8Array;
  spacing: number;
  noise: number;
}

/** Frames whose pixels would be more than this are read every second pixel, or third, … */
const MOST_OF_FRAMES = 12_000_000;

/**
 * Gathers the points. Scans with depth images give their pixels, each as its frame saw it, where the cleaned cloud still holds points;
 * of other scans taken from several places each point is taken as seen from where it faces best.
 * O(points · sensor places).
 */
export function gatherPoints(chosen: { scan: Scan; placement: Placement }[], ctx: RunContext): MeasuredPoints {
  const pixels = chosen.reduce(
    (n, { scan }) => n + (scan.frames ?? []).reduce((m, { camera }) => m + camera.width * camera.height, 0),
    0,
  );
  const stride = Math.max(1, Math.ceil(Math.sqrt(pixels / MOST_OF_FRAMES)));
  const parts = chosen.map(({ scan, placement }, k) => {
    const part = ctx.part(k / chosen.length, (k + 1) / chosen.length, `Reading ${scan.name}`);
    part.checkpoint(0);
    return scan.frames?.length
      ? framePoints(scan, scan.frames, placement.pieceFromScan, stride, part)
      : cloudPoints(scan, placement.pieceFromScan, part);
  });
  const count = parts.reduce((n, p) => n + p.positions.length / 3, 0);
  const positions = new Float32Array(3 * count);
  const towardsSensor = new Float32Array(3 * count);
  const range = new Float32Array(count);
  const scan = new Uint16Array(count);
  const colors = parts.some((p) => p.colors) ? new Uint8Array(3 * count).fill(128) : undefined;
  const variance = new Float64Array(parts.length * INCIDENCES);
  let at = 0;
  parts.forEach((p, k) => {
    const n = p.positions.length / 3;
    positions.set(p.positions, 3 * at);
    towardsSensor.set(p.towardsSensor, 3 * at);
    range.set(p.range, at);
    scan.fill(k, at, at + n);
    if (colors && p.colors) colors.set(p.colors, 3 * at);
    // A first guess: what the points off their own patches say, a tenth of the spacing where that says nothing.
    const noise = Number.isNaN(p.noise) ? 0.1 * p.spacing : p.noise;
    variance.fill(leastVariance(p.spacing) + noise ** 2, k * INCIDENCES, (k + 1) * INCIDENCES);
    at += n;
  });
  const spacings = parts.map((p) => p.spacing).sort((a, b) => a - b);
  const spacing = spacings[spacings.length >> 1] || 1;
  const scans = chosen.map((c) => c.scan.name);
  return inGridOrder({
    count,
    positions,
    towardsSensor,
    range,
    scan,
    colors,
    scans,
    spacing,
    grain: spacing,
    variance,
  });
}

function cloudPoints(scan: Scan, pieceFromScan: Mat4, ctx: RunContext): ScanPoints {
  const { cloud } = scan;
  const n = pointCount(cloud);
  const spacing = estimateSpacing(cloud);
  const positions = transformPoints(pieceFromScan, cloud.positions);
  const places = sensorPositions(scan);
  const eyes = places.map((e) => transformPoint(pieceFromScan, e[0], e[1], e[2]));
  const normals =
    eyes.length === 1
      ? undefined
      : rotateVectors(pieceFromScan, cloud.normals ?? estimateNormals(cloud, places, {}, ctx).normals);
  const towardsSensor = eyes.length === 0 ? normals! : new Float32Array(3 * n);
  const range = new Float32Array(n).fill(NaN);
  for (let i = 0; i < n && eyes.length > 0; i++) {
    let best = -Infinity;
    for (const eye of eyes) {
      const x = eye[0] - positions[3 * i];
      const y = eye[1] - positions[3 * i + 1];
      const z = eye[2] - positions[3 * i + 2];
      const l = Math.sqrt(x * x + y * y + z * z) || 1;
      const c = normals ? (x * normals[3 * i] + y * normals[3 * i + 1] + z * normals[3 * i + 2]) / l : 1;
      if (c <= best) continue;
      best = c;
      range[i] = l;
      towardsSensor[3 * i] = x / l;
      towardsSensor[3 * i + 1] = y / l;
      towardsSensor[3 * i + 2] = z / l;
    }
  }
  return { positions, towardsSensor, range, colors: cloud.colors, spacing, noise: estimateNoise(cloud, spacing) };
}

/** Least cosine of the incidence of a pixel; at steps and borders it is 0. */
const FLATTEST_PIXEL = 0.12;

function framePoints(
  scan: Scan,
  frames: DepthFrame[],
  pieceFromScan: Mat4,
  stride: number,
  ctx: RunContext,
): ScanPoints {
  const kept = new PointGrid(scan.cloud.positions, 2 * estimateSpacing(scan.cloud) || 1);
  const positions = new GrowingArray(Float32Array);
  const towards = new GrowingArray(Float32Array);
  const ranges = new GrowingArray(Float32Array);
  const colors = frames.some((f) => f.color) ? new GrowingArray(Uint8Array) : undefined;
  const spacings: number[] = [];
  const noises: number[] = [];
  frames.forEach((frame, f) => {
    ctx.checkpoint(f / frames.length);
    const { width, height, fx, fy, cx, cy } = frame.camera;
    const { depth, color } = frame;
    const cosine = incidence(frame);
    const s = frame.scanFromSensor;
    const m = multiply(pieceFromScan, s);
    const first = positions.length;
    for (let v = 0; v < height; v += stride) {
      for (let u = 0; u < width; u += stride) {
        const i = v * width + u;
        if (!(cosine[i] > FLATTEST_PIXEL)) continue;
        const z = depth[i];
        const x = ((u - cx) / fx) * z;
        const y = ((v - cy) / fy) * z;
        const inScan = [0, 1, 2].map((k) => s[k] * x + s[4 + k] * y + s[8 + k] * z + s[12 + k]);
        // What cleaning took away stays away.
        if (!kept.hasWithin(inScan[0], inScan[1], inScan[2], kept.cellSize)) continue;
        const px = m[0] * x + m[4] * y + m[8] * z + m[12];
        const py = m[1] * x + m[5] * y + m[9] * z + m[13];
        const pz = m[2] * x + m[6] * y + m[10] * z + m[14];
        const l = Math.sqrt(x * x + y * y + z * z);
        positions.push(px, py, pz);
        towards.push((m[12] - px) / l, (m[13] - py) / l, (m[14] - pz) / l);
        ranges.push(l);
        if (!colors) continue;
        if (!color) {
          colors.push(128, 128, 128);
          continue;
        }
        const c = color.camera;
        const cu = Math.max(0, Math.min(c.width - 1, Math.round((c.fx * x) / z + c.cx)));
        const cv = Math.max(0, Math.min(c.height - 1, Math.round((c.fy * y) / z + c.cy)));
        const j = 3 * (cv * c.width + cu);
        colors.push(color.image.data[j], color.image.data[j + 1], color.image.data[j + 2]);
      }
    }
    // Frames of one scan are alike: a few tell spacing and noise.
    if (f % Math.ceil(frames.length / 3) !== 0 || positions.length - first < 300) return;
    const cloud = { positions: positions.toArray().slice(first) };
    const spacing = estimateSpacing(cloud);
    spacings.push(spacing);
    noises.push(estimateNoise(cloud, spacing));
  });
  const middle = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1] ?? 0;
  return {
    positions: positions.toArray(),
    towardsSensor: towards.toArray(),
    range: ranges.toArray(),
    colors: colors?.toArray(),
    spacing: middle(spacings),
    noise: middle(noises),
  };
}

/** A voxel is so many grains wide: what is finer would not be seen at its edges. */
const GRAINS_OF_VOXEL = 2.5;
/** Points that lie closer than so many to a grain say no more than fewer of them. */
const MOST_CROWDED = 2.5;

/** The points as a surface of this resolution needs them: with its grain, thinned evenly where they lie far closer. */
export function pointsForVoxel(points: MeasuredPoints, voxel: number): MeasuredPoints {
  const grain = Math.max(points.spacing, voxel / GRAINS_OF_VOXEL);
  const step = Math.floor((grain / (MOST_CROWDED * points.spacing)) ** 2);
  if (step < 2) return { ...points, grain };
  const rows = Uint32Array.from({ length: Math.ceil(points.count / step) }, (_, i) => i * step);
  return chosenPoints({ ...points, spacing: points.spacing * Math.sqrt(step), grain }, rows);
}

/** The points of these rows, in their order, with a grid of their own. O(rows). */
export function chosenPoints(points: PlainPoints, rows: ArrayLike<number>): MeasuredPoints {
  const pick = <A extends Float32Array | Uint8Array | Uint16Array>(a: A): A => {
    const size = a.length / points.count;
    const out = new (a.constructor as new (n: number) => A)(size * rows.length);
    for (let i = 0; i < rows.length; i++) for (let k = 0; k < size; k++) out[size * i + k] = a[size * rows[i] + k];
    return out;
  };
  return withGrid({
    ...points,
    count: rows.length,
    positions: pick(points.positions),
    towardsSensor: pick(points.towardsSensor),
    range: pick(points.range),
    scan: pick(points.scan),
    trust: points.trust && pick(points.trust),
    colors: points.colors && pick(points.colors),
  });
}

/** The points as plain data, to be copied to another thread. */
export type PlainPoints = Omit<MeasuredPoints, 'grid'>;

export function withoutGrid(points: MeasuredPoints): PlainPoints {
  const { grid, ...plain } = points;
  void grid;
  return plain;
}

export function withGrid(points: PlainPoints): MeasuredPoints {
  return { ...points, grid: new PointGrid(points.positions, 2 * points.spacing) };
}

/** Puts neighbours next to each other: searches then read memory in one stretch. */
function inGridOrder(points: PlainPoints): MeasuredPoints {
  return chosenPoints(points, new PointGrid(points.positions, 2 * points.spacing).order);
}
