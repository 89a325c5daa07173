import type { PointCloud } from '../geometry/point-cloud.js';
import type { Scan } from '../geometry/scan.js';
import type { Vec3 } from '../math/mat4.js';
import { estimateSpacing } from '../pointcloud/spacing.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { LineCentres } from './line-centres.js';
import { SheetTriangulation, turnedBy, type LineLaserStand, type PlatformTurn } from './line-laser-stand.js';

export interface ScanTurnOptions {
  /** What lies lower over the platform is left out, mm. */
  lowest: number;
  /** What lies farther from the axis is left out, mm. */
  widest: number;
}

export const SCAN_TURN_DEFAULTS: ScanTurnOptions = { lowest: 0.6, widest: Infinity };

/** The camera's places that are noted for one turn. */
const NOTED_PLACES = 24;

/** Pictures that a turn takes in, first to last. */
export function picturesOf(turn: PlatformTurn): number[] {
  const first = Math.ceil(turn.first);
  const out: number[] = [];
  for (let k = first; k < turn.first + turn.count - 1e-9; k++) out.push(k);
  return out;
}

/**
 * Points of the object from the lines of one turn, in the stand's frame at the turn's first picture. O(places).
 * @param lines by picture number; pictures without one are passed over
 * @throws GeometryError `empty-input` if no line lies on the object
 */
export function scanTurn(
  lines: readonly (LineCentres | undefined)[],
  stand: LineLaserStand,
  turn: PlatformTurn,
  options: Partial<ScanTurnOptions> = {},
): Omit<Scan, 'name'> {
  const o = { ...SCAN_TURN_DEFAULTS, ...options };
  const sheet = new SheetTriangulation(stand);
  const chosen = picturesOf(turn).filter((k) => lines[k]);
  const most = chosen.reduce((n, k) => n + lines[k]!.rows.length, 0);
  const positions = new Float32Array(3 * most);
  const colors = new Uint8Array(3 * most);
  const at = new Float64Array(3);
  let n = 0;
  for (const k of chosen) {
    const { rows, columns, colors: beside } = lines[k]!;
    const angle = (-turnedBy(turn, k) * Math.PI) / 180;
    const c = Math.cos(angle);
    const s = Math.sin(angle);
    for (let i = 0; i < rows.length; i++) {
      if (!sheet.point(columns[i], rows[i], at) || at[2] < o.lowest) continue;
      if (at[0] * at[0] + at[1] * at[1] > o.widest * o.widest) continue;
      positions[3 * n] = c * at[0] - s * at[1];
      positions[3 * n + 1] = s * at[0] + c * at[1];
      positions[3 * n + 2] = at[2];
      for (let j = 0; j < 3; j++) colors[3 * n + j] = beside[3 * i + j];
      n++;
    }
  }
  if (n === 0) {
    throw new GeometryError(
      'empty-input',
      'No laser line was found on the object. Lower the threshold, or check distance, height and laser angle.',
    );
  }
  const viewpoints = Array.from({ length: NOTED_PLACES }, (_, i): Vec3 => {
    const a = (2 * Math.PI * i) / NOTED_PLACES;
    return [stand.distance * Math.cos(a), stand.distance * Math.sin(a), stand.height];
  });
  return { cloud: { positions: positions.slice(0, 3 * n), colors: colors.slice(0, 3 * n) }, viewpoints };
}

/** Way that the outer parts of an object move from picture to picture, mm: 90 of 100 points move less. O(n log n). */
export function arcStep(positions: Float32Array, count: number): number {
  const radii = new Float32Array(positions.length / 3);
  for (let i = 0; i < radii.length; i++) radii[i] = Math.hypot(positions[3 * i], positions[3 * i + 1]);
  return (2 * Math.PI * (radii.sort()[Math.floor(0.9 * radii.length)] ?? 0)) / count;
}

/** Radius for normals: lines lie close along themselves and far from one another, and a normal needs three of them. */
export function normalRadius(cloud: PointCloud, step: number): number {
  return Math.max(3.5 * estimateSpacing(cloud), 1.6 * step);
}
