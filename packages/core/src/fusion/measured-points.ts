import { pointCount } from '../geometry/point-cloud.js';
import { sensorPositions, type Placement, type Scan } from '../geometry/scan.js';
import { rotateVectors, transformPoint, transformPoints } from '../math/mat4.js';
import { estimateNoise } from '../pointcloud/noise.js';
import { estimateNormals } from '../pointcloud/normals.js';
import { estimateSpacing } from '../pointcloud/spacing.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';

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
  /** Number of the scan among the placed ones. */
  scan: Uint16Array;
  /** Distance to the sensor, mm; 0 where no sensor place is known. */
  range: Float32Array;
  colors?: Uint8Array;
  scans: string[];
  /** Of the middle scan, mm. */
  spacing: number;
  /** Variance of a point off the surface, mm², by scan and class of incidence. */
  variance: Float64Array;
  grid: PointGrid;
}

/** Row of a point's variance, for a cosine of the incidence from 0 to 1. */
export function incidenceClass(cosine: number): number {
  const k = (cosine * INCIDENCES) | 0;
  return k < INCIDENCES ? k : INCIDENCES - 1;
}

/**
 * Gathers the points. Of scans taken from several places each point is taken as seen from where it faces best.
 * O(points · sensor places).
 */
export function gatherPoints(chosen: { scan: Scan; placement: Placement }[], ctx: RunContext): MeasuredPoints {
  const count = chosen.reduce((n, { scan }) => n + pointCount(scan.cloud), 0);
  const positions = new Float32Array(3 * count);
  const towards = new Float32Array(3 * count);
  const range = new Float32Array(count);
  const scan = new Uint16Array(count);
  const colored = chosen.some((c) => c.scan.cloud.colors);
  const colors = colored ? new Uint8Array(3 * count).fill(128) : undefined;
  const spacings: number[] = [];
  const variance = new Float64Array(chosen.length * INCIDENCES);
  let at = 0;
  chosen.forEach(({ scan: s, placement }, k) => {
    const part = ctx.part(k / chosen.length, (k + 1) / chosen.length, `Reading ${s.name}`);
    part.checkpoint(0);
    const n = pointCount(s.cloud);
    const spacing = estimateSpacing(s.cloud);
    spacings.push(spacing);
    const noise = estimateNoise(s.cloud, spacing);
    // A first guess: what the points off their own patches say, a tenth of the spacing where that says nothing.
    variance.fill((noise > 0 ? noise : 0.1 * spacing) ** 2, k * INCIDENCES, (k + 1) * INCIDENCES);
    const m = placement.pieceFromScan;
    const p = transformPoints(m, s.cloud.positions);
    const eyes = sensorPositions(s).map((e) => transformPoint(m, e[0], e[1], e[2]));
    const needed = eyes.length !== 1;
    const normals = needed
      ? rotateVectors(m, s.cloud.normals ?? estimateNormals(s.cloud, sensorPositions(s), {}, part).normals)
      : undefined;
    positions.set(p, 3 * at);
    scan.fill(k, at, at + n);
    if (colors && s.cloud.colors) colors.set(s.cloud.colors, 3 * at);
    if (eyes.length === 0) towards.set(normals!, 3 * at);
    else {
      for (let i = 0; i < n; i++) {
        let best = -Infinity;
        const o = 3 * (at + i);
        for (const eye of eyes) {
          const x = eye[0] - p[3 * i];
          const y = eye[1] - p[3 * i + 1];
          const z = eye[2] - p[3 * i + 2];
          const l = Math.sqrt(x * x + y * y + z * z) || 1;
          const c = normals ? (x * normals[3 * i] + y * normals[3 * i + 1] + z * normals[3 * i + 2]) / l : 1;
          if (c <= best) continue;
          best = c;
          towards[o] = x / l;
          towards[o + 1] = y / l;
          towards[o + 2] = z / l;
          range[at + i] = l;
        }
      }
    }
    at += n;
  });
  const middle = spacings.sort((a, b) => a - b)[spacings.length >> 1] || 1;
  return inGridOrder({
    count,
    positions,
    towardsSensor: towards,
    scan,
    range,
    colors,
    scans: chosen.map((c) => c.scan.name),
    spacing: middle,
    variance,
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
  const { order } = new PointGrid(points.positions, 2 * points.spacing);
  const triple = <A extends Float32Array | Uint8Array>(a: A): A => {
    const out = new (a.constructor as new (n: number) => A)(a.length);
    for (let i = 0; i < order.length; i++) {
      const j = 3 * order[i];
      out[3 * i] = a[j];
      out[3 * i + 1] = a[j + 1];
      out[3 * i + 2] = a[j + 2];
    }
    return out;
  };
  return withGrid({
    ...points,
    positions: triple(points.positions),
    towardsSensor: triple(points.towardsSensor),
    scan: Uint16Array.from(order, (i) => points.scan[i]),
    range: Float32Array.from(order, (i) => points.range[i]),
    colors: points.colors && triple(points.colors),
  });
}
