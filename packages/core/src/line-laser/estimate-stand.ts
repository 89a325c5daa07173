import type { Intrinsics } from '../geometry/depth-frame.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { ColorImage } from '../geometry/triangle-mesh.js';
import { laserLight } from './laser-light.js';
import { findLineCentres, LINE_CENTRES_DEFAULTS, type LineCentresOptions } from './line-centres.js';
import { LevelledCamera, type Lean } from './levelled-camera.js';
import type { LineLaserStand } from './line-laser-stand.js';

/** A stand measured from a picture, and how well the picture fits it. */
export interface StandEstimate extends LineLaserStand {
  /** Root mean square distance of the line's places from a straight line, pixels. */
  rms: number;
  /** Places of the line on the platform. */
  length: number;
}

/** Places farther than this from the straight line are not on the platform, pixels. */
const STRAIGHT = 1;
/** Shorter lines are not trusted, pixels. */
const LEAST_LENGTH = 40;
/** Breaks in a line up to so long are passed over, pixels. */
const LONGEST_BREAK = 6;

/**
 * Measures a stand from one picture of its empty platform with the laser on. The line then crosses the whole platform,
 * through the axis: with column and row as directions x, y from the lens, it is the straight line
 * x = (distance/height · y − 1) · tan(angle), and it ends where the platform ends on either side of the axis.
 * @param platform width of the platform, mm: the only length that has to be measured by hand
 * @param lean how the camera stands out of level, from its spirit level
 * @throws GeometryError `degenerate` if no straight line over the platform can be made out
 */
export function estimateStand(
  image: ColorImage,
  camera: Intrinsics,
  platform: number,
  options: Partial<LineCentresOptions> = {},
  { tilt = 0, roll = 0 }: Lean = {},
): StandEstimate {
  const line = longestLine(image, options);
  if (line.columns.length < LEAST_LENGTH) {
    throw new GeometryError(
      'degenerate',
      'No straight line across the platform can be made out. Empty the platform, let the laser cross its middle, and dim other light.',
    );
  }
  const levelled = new LevelledCamera(camera, { tilt, roll });
  const directions = line.columns.map((u, i) => levelled.direction(u, line.rows[i]));
  const x = directions.map((d) => d[0]);
  const y = directions.map((d) => d[1]);
  if (Math.min(...y) <= 0) {
    throw new GeometryError(
      'degenerate',
      'The line reaches over the camera’s level. The camera must stand higher than the platform, and level unless its tilt is given.',
    );
  }
  // The line's far end is its upper one.
  const fit = fitThrough(y, x, line.lying);
  const inPicture = fitThrough(line.rows, line.columns, line.lying);
  const [far, near] = line.ends.map((v) => levelled.direction(inPicture.slope * v + inPicture.offset, v)[1]);
  const k = near / far;
  const xFar = fit.slope * far + fit.offset;
  const xNear = fit.slope * near + fit.offset;
  // Seen from a camera that looks past the axis, the two halves are not in the ratio of their distances.
  const aside = Math.atan((xNear + k * xFar) / (1 + k));
  const s = Math.sin(aside);
  const c = Math.cos(aside);
  const right = x.map((v) => (v * c - s) / (v * s + c));
  const down = y.map((v, i) => v / (x[i] * s + c));
  const straight = fitThrough(down, right, line.lying);
  const tan = -straight.offset;
  const angle = Math.atan(tan);
  const ratio = straight.slope / tan;
  if (!(ratio > 0) || Math.abs(tan) < 0.05 || k < 1.02) {
    throw new GeometryError(
      'degenerate',
      'The line on the platform does not pass through its axis. Aim the laser at the axis.',
    );
  }
  // Ends along the sheet in units of the distance.
  const reach = (d: number): number => {
    const xr = straight.slope * d + straight.offset;
    const t = Math.sin(angle) / (xr * Math.cos(angle) + Math.sin(angle));
    return (1 - t) * Math.cos(angle) + t * xr * Math.sin(angle);
  };
  const distance = platform / Math.abs(reach(near / (xNear * s + c)) - reach(far / (xFar * s + c)));
  return {
    camera,
    distance,
    height: distance / ratio,
    laserAngle: (angle * 180) / Math.PI,
    axisColumn: camera.cx + camera.fx * Math.tan(aside),
    tilt,
    roll,
    rms: straight.rms * camera.fx,
    length: line.columns.length,
  };
}

/** The line over the platform: its places top to bottom, and the rows of its two ends. */
interface PlatformLine {
  columns: number[];
  rows: number[];
  ends: [top: number, bottom: number];
  /** More across the picture than up it: rows were measured at whole columns. */
  lying: boolean;
}

/** Looks for the line row by row and column by column; the longer one counts. */
function longestLine(image: ColorImage, options: Partial<LineCentresOptions>): PlatformLine {
  const usual = { ...LINE_CENTRES_DEFAULTS, ...options };
  // On the platform the light falls flat and out of focus: a wider, fainter line is looked for.
  const o = { ...usual, lineWidth: 1.5 * usual.lineWidth, threshold: usual.threshold / 3, acrossRows: false };
  const [standing, lying] = [image, transposed(image)].map((picture) => {
    const centres = findLineCentres(picture, o);
    const inliers = longestStraight(centres.rows, centres.columns);
    return { picture, along: inliers.map((i) => centres.rows[i]), across: inliers.map((i) => centres.columns[i]) };
  });
  const chosen = lying.along.length > standing.along.length ? lying : standing;
  const { picture, along, across } = chosen;
  if (along.length === 0) return { columns: [], rows: [], ends: [0, 0], lying: false };
  const fit = fitLine(along, across);
  const ends = endsOf(picture, fit, along, o);
  if (chosen === standing) return { columns: across, rows: along, ends, lying: false };
  const rows = ends.map((a) => fit.slope * a + fit.offset).sort((a, b) => a - b) as [number, number];
  return { columns: along, rows: across, ends: rows, lying: true };
}

/** The longest run of places on one straight line, by their numbers, in order. O(places · starts²). */
function longestStraight(along: ArrayLike<number>, across: ArrayLike<number>): number[] {
  let best: number[] = [];
  const n = along.length;
  const step = Math.max(1, Math.floor(n / 60));
  for (let a = 0; a < n; a += step) {
    for (let b = a + step; b < n; b += step) {
      if (along[b] - along[a] < LEAST_LENGTH / 2) continue;
      const slope = (across[b] - across[a]) / (along[b] - along[a]);
      const on: number[] = [];
      for (let i = 0; i < n; i++) {
        if (Math.abs(across[a] + slope * (along[i] - along[a]) - across[i]) < STRAIGHT) on.push(i);
      }
      if (on.length > best.length) best = on;
    }
  }
  // What is cut off from the rest lies elsewhere.
  let run: number[] = [];
  let longest: number[] = [];
  for (const i of best) {
    if (run.length > 0 && along[i] - along[run[run.length - 1]] > LONGEST_BREAK) run = [];
    run.push(i);
    if (run.length > longest.length) longest = run;
  }
  return longest;
}

/** First and last place of a line along its run, with parts: where its middle has half the light it has near there. */
function endsOf(
  picture: ColorImage,
  fit: { slope: number; offset: number },
  run: number[],
  o: LineCentresOptions,
): [number, number] {
  const { width, height } = picture;
  const light = laserLight(picture, o, new Float32Array(width * height));
  const lightAt = (row: number): number => {
    const middle = Math.round(fit.slope * row + fit.offset);
    if (row < 0 || row >= height || middle < 1 || middle > width - 2) return 0;
    const i = row * width + middle;
    return light[i - 1] + light[i] + light[i + 1];
  };
  return [-1, 1].map((outward) => {
    const end = outward < 0 ? run[0] : run[run.length - 1];
    const near = Array.from({ length: 20 }, (_, k) => lightAt(end - (6 + k) * outward)).sort((a, b) => a - b);
    const half = 0.5 * near[10];
    let a = end - 8 * outward;
    for (let k = 0; k < 40 && lightAt(a + outward) >= half; k++) a += outward;
    const inner = lightAt(a);
    return a + outward * Math.max(0, Math.min(1, (inner - half) / Math.max(1e-6, inner - lightAt(a + outward))));
  }) as [number, number];
}

/** The picture with rows and columns exchanged. */
function transposed({ width, height, data }: ColorImage): ColorImage {
  const out = new Uint8Array(3 * width * height);
  for (let v = 0; v < height; v++)
    for (let u = 0; u < width; u++)
      for (let k = 0; k < 3; k++) out[3 * (u * height + v) + k] = data[3 * (v * width + u) + k];
  return { width: height, height: width, data: out };
}

/** x = slope · y + offset, with the errors in x, or in y where the line lies. */
function fitThrough(y: number[], x: number[], errorsInY: boolean): { slope: number; offset: number; rms: number } {
  if (!errorsInY) return fitLine(y, x);
  const { slope, offset, rms } = fitLine(x, y);
  return { slope: 1 / slope, offset: -offset / slope, rms };
}

/** Least squares b = slope · a + offset. */
function fitLine(a: number[], b: number[]): { slope: number; offset: number; rms: number } {
  const n = a.length;
  const ma = a.reduce((x, v) => x + v, 0) / n;
  const mb = b.reduce((x, v) => x + v, 0) / n;
  let aa = 0;
  let ab = 0;
  for (let i = 0; i < n; i++) {
    aa += (a[i] - ma) ** 2;
    ab += (a[i] - ma) * (b[i] - mb);
  }
  const slope = ab / aa;
  const offset = mb - slope * ma;
  let rest = 0;
  for (let i = 0; i < n; i++) rest += (b[i] - slope * a[i] - offset) ** 2;
  return { slope, offset, rms: Math.sqrt(rest / n) };
}
