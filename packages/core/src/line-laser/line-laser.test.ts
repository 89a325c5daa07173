import type { ColorImage } from '../geometry/index.js';
import {
  createRandom,
  fromAxisAngle,
  gaussian,
  invertRigid,
  lookAt,
  multiply,
  transformPoint,
  type Mat4,
  type Vec3,
} from '../math/index.js';
import {
  estimateStand,
  findExactTurn,
  findLineCentres,
  LevelledCamera,
  measureLine,
  scanTurn,
  SheetTriangulation,
  thumbnailOf,
  tracePlace,
  whyMissing,
  type LineLaserStand,
  type PlatformTurn,
} from './index.js';

const camera = { width: 640, height: 480, fx: 900, fy: 900, cx: 319.5, cy: 120 };
const stand: LineLaserStand = { camera, distance: 420, height: 110, laserAngle: 28, axisColumn: 326 };

const NOISE = (() => {
  const random = createRandom(11);
  return Float32Array.from({ length: 4096 }, () => 2 * gaussian(random));
})();

/**
 * A picture of the line that a sheet draws on a body, from the closed form of its outline in the sheet: `reach(z)` is
 * the distance from the axis along the sheet, NaN where there is none. A Gaussian line of 3.5 pixels, noise of 2 levels.
 */
function pictureOf(reach: (z: number) => number, top: number, seed: number, bottom = 0): ColorImage {
  const { width, height } = camera;
  const data = new Uint8Array(3 * width * height);
  // The same noise numbers, begun elsewhere in every picture.
  for (let i = 0; i < data.length; i++) data[i] = 40 + NOISE[(i * 7 + 523 * seed + (i >> 11)) & 4095];
  const sheet = new SheetTriangulation(stand);
  const angle = (stand.laserAngle * Math.PI) / 180;
  const columns = new Float64Array(height).fill(NaN);
  let before: [number, number] | undefined;
  for (let i = 0; i <= 4000; i++) {
    const z = top + (i / 4000) * (bottom - top);
    const s = reach(z);
    const at = Number.isFinite(s) ? sheet.pixel([s * Math.cos(angle), s * Math.sin(angle), z]) : undefined;
    if (at && before) {
      // Where the outline runs back upwards, it is hidden.
      for (let v = Math.ceil(before[1]); v <= at[1]; v++) {
        const t = (v - before[1]) / (at[1] - before[1]);
        if (v >= 0 && v < height) columns[v] = before[0] + t * (at[0] - before[0]);
      }
      if (at[1] < before[1]) break;
    }
    before = at;
  }
  columns.forEach((c, v) => {
    if (Number.isNaN(c)) return;
    for (let u = Math.max(0, Math.floor(c) - 8); u < Math.min(width, c + 8); u++) {
      const light = 190 * Math.exp(-((u - c) ** 2) / (2 * (3.5 / 2.3548) ** 2));
      data[3 * (v * width + u)] = Math.min(255, data[3 * (v * width + u)] + light);
    }
  });
  return { width, height, data };
}

/** Diameter of the circle that fits points best (I. Kåsa 1976). */
function circleDiameter(points: [number, number][]): number {
  const n = points.length;
  const mx = points.reduce((a, p) => a + p[0], 0) / n;
  const my = points.reduce((a, p) => a + p[1], 0) / n;
  let [uu, uv, vv, uw, vw, w] = [0, 0, 0, 0, 0, 0];
  for (const [x, y] of points) {
    const [u, v] = [x - mx, y - my];
    uu += u * u;
    uv += u * v;
    vv += v * v;
    uw += 0.5 * u * (u * u + v * v);
    vw += 0.5 * v * (u * u + v * v);
    w += (u * u + v * v) / n;
  }
  const det = uu * vv - uv * uv;
  const [a, b] = [(uw * vv - vw * uv) / det, (vw * uu - uw * uv) / det];
  return 2 * Math.sqrt(a * a + b * b + w);
}

const pointsOf = (p: Float32Array): Vec3[] =>
  Array.from({ length: p.length / 3 }, (_, i) => [p[3 * i], p[3 * i + 1], p[3 * i + 2]]);

describe('line laser on a turning platform', () => {
  test('pixel and sheet point are inverse to one another', () => {
    const sheet = new SheetTriangulation(stand);
    const at: Vec3 = [0, 0, 0];
    for (const [u, v] of [
      [300, 200],
      [420, 33.5],
      [10, 470],
    ]) {
      expect(sheet.point(u, v, at)).toBe(true);
      // The sheet holds the axis and stands at the laser's angle.
      expect(at[1]).toBeCloseTo(at[0] * Math.tan((28 * Math.PI) / 180), 9);
      const back = sheet.pixel(at)!;
      expect(back[0]).toBeCloseTo(u, 8);
      expect(back[1]).toBeCloseTo(v, 8);
    }
  });

  test('line centres lie within a twentieth of a pixel of the drawn line', () => {
    const r = findLineCentres(pictureOf(() => 30, 60, 3));
    const sheet = new SheetTriangulation(stand);
    const a = (28 * Math.PI) / 180;
    const errors = Array.from(r.columns, (c) => {
      // On a cylinder about the axis, column does not depend on height.
      const [u] = sheet.pixel([30 * Math.cos(a), 30 * Math.sin(a), 20])!;
      return c - u;
    });
    const rms = Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / errors.length);
    expect(errors.length).toBeGreaterThan(120);
    expect(rms).toBeLessThan(0.05);
  });

  test('white light beside the line is suppressed, a line in it still found', () => {
    const p = pictureOf(() => 30, 60, 4);
    const data = p.data as Uint8Array;
    const plain = findLineCentres(p).columns.length;
    // A bright white stripe as narrow as the line, to be passed over.
    for (let v = 0; v < 480; v++) for (let k = 0; k < 12; k++) data[3 * (v * 640 + 100) + k] = 230;
    const r = findLineCentres(p, { suppression: 0.9 });
    expect(Array.from(r.columns).filter((c) => Math.abs(c - 101.5) < 3)).toHaveLength(0);
    expect(r.columns.length).toBeGreaterThan(0.97 * plain);
  });

  test('focus and exposure can be read off the line, and why a place is missing', () => {
    const p = pictureOf(() => 30, 60, 5);
    const q = measureLine(p, findLineCentres(p));
    expect(Math.abs(q.width - 3.5)).toBeLessThan(0.3);
    expect(q.brightness).toBeGreaterThan(120);
    expect(q.burnt).toBe(0);
    const sheet = new SheetTriangulation(stand);
    const a = (28 * Math.PI) / 180;
    const at = (r: number, z: number): [number, number] => sheet.pixel([r * Math.cos(a), r * Math.sin(a), z])!;
    expect(whyMissing(p, ...at(30, 20)).finding).toBe('measured');
    // Behind the cylinder's surface the row's line is seen in front.
    expect(whyMissing(p, ...at(10, 20)).finding).toBe('elsewhere');
    expect(whyMissing(p, ...at(30, 70)).finding).toBe('dark');
    expect(whyMissing(p, -5, 20).finding).toBe('outside');
    expect(whyMissing(p, ...at(30, 20), { threshold: 250 }).finding).toBe('faint');
    const burnt = { ...p, data: (p.data as Uint8Array).map((v) => (v > 150 ? 255 : v)) };
    expect(measureLine(burnt, findLineCentres(burnt)).burnt).toBeGreaterThan(0.95);
  });

  const turn: PlatformTurn = { first: 2, count: 40, direction: 1 };
  const lines = (reachAt: (angle: number) => (z: number) => number, top: number) =>
    Array.from({ length: 42 }, (_, k) =>
      k < 2 ? undefined : findLineCentres(pictureOf(reachAt((2 * Math.PI * (k - 2)) / 40), top, k)),
    );
  /** Where a ray from the axis at an angle leaves a circle about (dx, dy): closed form, in the body's frame. */
  const leaves = (angle: number, dx: number, dy: number, r: number): number => {
    const along = dx * Math.cos(angle) + dy * Math.sin(angle);
    return along + Math.sqrt(r * r - (dx * dx + dy * dy - along * along));
  };
  const toBody = (platformAngle: number): number => (28 * Math.PI) / 180 - platformAngle;

  test('a cylinder beside the axis comes out to size and in its place', () => {
    const { cloud } = scanTurn(
      lines((a) => () => leaves(toBody(a), 9, -6, 32), 70),
      stand,
      turn,
    );
    const points = pointsOf(cloud.positions);
    const diameter = circleDiameter(points.map(([x, y]) => [x, y]));
    expect(Math.abs(diameter / 64 - 1)).toBeLessThan(0.003);
    const off = points.map(([x, y]) => Math.hypot(x - 9, y + 6) - 32);
    expect(Math.sqrt(off.reduce((s, e) => s + e * e, 0) / off.length)).toBeLessThan(0.05);
    expect(points.length).toBeGreaterThan(40 * 100);
  });

  test('a cone comes out to size', () => {
    const { cloud } = scanTurn(
      lines(() => (z) => 40 * (1 - z / 90), 80),
      stand,
      turn,
    );
    const off = pointsOf(cloud.positions).map(([x, y, z]) => Math.hypot(x, y) - 40 * (1 - z / 90));
    const mean = off.reduce((s, e) => s + e, 0) / off.length;
    expect(Math.abs(mean)).toBeLessThan(0.003 * 40);
    expect(Math.sqrt(off.reduce((s, e) => s + e * e, 0) / off.length)).toBeLessThan(0.08);
  });

  test('a sphere comes out to size', () => {
    const { cloud } = scanTurn(
      lines(() => (z) => Math.sqrt(35 * 35 - (z - 35) ** 2), 69.9),
      stand,
      turn,
    );
    const radii = pointsOf(cloud.positions).map(([x, y, z]) => Math.hypot(x, y, z - 35));
    const mean = radii.reduce((s, e) => s + e, 0) / radii.length;
    expect(Math.abs(mean / 35 - 1)).toBeLessThan(0.003);
  });

  test('a place is traced back to the picture, column and row that measured it', () => {
    const all = lines((a) => () => leaves(toBody(a), 9, -6, 32), 70);
    const { cloud } = scanTurn(all, stand, turn);
    const p = cloud.positions;
    for (const i of [100, 2500, p.length / 3 - 40]) {
      const [facing] = tracePlace(stand, turn, [p[3 * i], p[3 * i + 1], p[3 * i + 2]]);
      const l = all[facing.picture]!;
      const near = Array.from(l.rows).findIndex((v) => Math.abs(v - facing.row) < 0.01);
      expect(facing.facing).toBe(true);
      expect(Math.abs(l.columns[near] - facing.column)).toBeLessThan(0.01);
      // The light comes from the laser's side.
      expect(facing.light[0] * p[3 * i] + facing.light[1] * p[3 * i + 1]).toBeLessThan(0);
    }
  });

  test.each([
    [0, 0],
    [0.5, 0],
    [-2, 1],
    [3, -2],
  ])(
    'the empty platform gives distance, height, angle and the axis; camera leaning by %d° and aside by %d°',
    (tilt, roll) => {
      // The line on the platform's top, seen along its length.
      const { width, height } = camera;
      const data = new Uint8Array(3 * width * height).fill(30);
      const sheet = new SheetTriangulation({ ...stand, tilt, roll });
      const a = (28 * Math.PI) / 180;
      const ends = [-100, 100].map((s) => sheet.pixel([s * Math.cos(a), s * Math.sin(a), 0])!);
      for (let v = Math.floor(ends[0][1]); v <= ends[1][1] + 1; v++) {
        // Pixels are as bright as their share of the line.
        const share = Math.max(0, Math.min(1, v + 0.5 - ends[0][1], ends[1][1] - v + 0.5));
        const c = ends[0][0] + ((v - ends[0][1]) / (ends[1][1] - ends[0][1])) * (ends[1][0] - ends[0][0]);
        for (let u = Math.floor(c) - 8; u < c + 8; u++) {
          data[3 * (v * width + u)] = 30 + share * 180 * Math.exp(-((u - c) ** 2) / (2 * 1.5 ** 2));
        }
      }
      const e = estimateStand({ width, height, data }, camera, 200, {}, { tilt, roll });
      expect(Math.abs(e.laserAngle - 28)).toBeLessThan(0.15);
      expect(Math.abs(e.distance / 420 - 1)).toBeLessThan(0.006);
      expect(Math.abs(e.height / 110 - 1)).toBeLessThan(0.006);
      expect(Math.abs(e.axisColumn - 326)).toBeLessThan(0.7);
    },
  );

  test('a leaning camera measures the same places as a level one', () => {
    // Rotation matrices by hand: a camera that looks up by 4° sees a level ray (x, y, 1) at these tangents.
    const t = (4 * Math.PI) / 180;
    const leaning = new SheetTriangulation({ ...stand, tilt: 4 });
    const level = new SheetTriangulation(stand);
    const [p, q] = [new Float64Array(3), new Float64Array(3)];
    for (const [u, v] of [
      [300, 200],
      [411, 318],
      [350, 90],
    ]) {
      const [x, y] = [(u - camera.cx) / camera.fx, (v - camera.cy) / camera.fy];
      const forward = Math.cos(t) - y * Math.sin(t);
      const column = camera.cx + (camera.fx * x) / forward;
      const row = camera.cy + (camera.fy * (y * Math.cos(t) + Math.sin(t))) / forward;
      expect(level.point(u, v, p)).toBe(true);
      expect(leaning.point(column, row, q)).toBe(true);
      for (let k = 0; k < 3; k++) expect(q[k]).toBeCloseTo(p[k], 9);
      const back = leaning.pixel([q[0], q[1], q[2]])!;
      expect(back[0]).toBeCloseTo(column, 6);
      expect(back[1]).toBeCloseTo(row, 6);
    }
    expect(() => new SheetTriangulation({ ...stand, tilt: 40 })).toThrow(/lean by 30°/);
  });

  test('a camera that leans aside, by the axes of its pose', () => {
    // A pose with its right side raised by 3° and looking down by 5°: its pixels against those of a level camera there.
    const [tilt, roll] = [-5, 3];
    const level: Mat4 = lookAt([0, 0, 0], [-1, 0, 0], [0, 0, 1]);
    const turn = (degrees: number): number => (degrees * Math.PI) / 180;
    const leaning = multiply(
      multiply(level, fromAxisAngle([1, 0, 0], turn(tilt))),
      fromAxisAngle([0, 0, 1], -turn(roll)),
    );
    // The right side stands above level, the camera looks down.
    expect(leaning[2]).toBeCloseTo(Math.sin(turn(roll)) * Math.cos(turn(tilt)), 12);
    expect(leaning[10]).toBeCloseTo(Math.sin(turn(tilt)), 12);
    const levelled = new LevelledCamera(camera, { tilt, roll });
    for (const [u, v] of [
      [300, 200],
      [40, 410],
    ]) {
      const ray = [(u - camera.cx) / camera.fx, (v - camera.cy) / camera.fy, 1] as const;
      const [x, y, z] = transformPoint(multiply(invertRigid(level), leaning), ...ray);
      const [right, down] = levelled.direction(u, v);
      expect(right).toBeCloseTo(x / z, 12);
      expect(down).toBeCloseTo(y / z, 12);
      const back = levelled.pixel(right, down);
      expect(back[0]).toBeCloseTo(u, 9);
      expect(back[1]).toBeCloseTo(v, 9);
    }
  });

  test('one exact turn is found, with its way of turning; a plain round body is not clear', () => {
    // A painted round body, 36.4 pictures a turn, clockwise, seen 50 times.
    const picture = (k: number, marks: number): ColorImage => {
      const [width, height] = [160, 90];
      const data = new Uint8Array(3 * width * height).fill(60);
      const random = createRandom(k);
      for (let y = 15; y < 80; y++) {
        for (let x = 40; x < 120; x++) {
          const around = Math.asin((x - 79.5) / 40.5) - (2 * Math.PI * k * -1) / 36.4;
          const paint = marks * (30 * Math.sin(around) + 25 * Math.sin(2 * around + y / 9));
          data.fill(Math.max(0, 130 + paint + 2 * gaussian(random)), 3 * (y * width + x), 3 * (y * width + x) + 3);
        }
      }
      return { width, height, data };
    };
    const found = findExactTurn(Array.from({ length: 50 }, (_, k) => thumbnailOf(picture(k, 1))));
    expect(found.clear).toBe(true);
    expect(Math.abs(found.candidates[0].count - 36.4)).toBeLessThan(0.2);
    expect(found.direction).toBe(-1);
    expect(findExactTurn(Array.from({ length: 50 }, (_, k) => thumbnailOf(picture(k, 0)))).clear).toBe(false);
    expect(() => findExactTurn([])).toThrow(/one turn/);
  });

  test('impossible stands and empty recordings are refused in words', () => {
    expect(() => new SheetTriangulation({ ...stand, laserAngle: 1 })).toThrow(/between 3° and 90°/);
    expect(() => new SheetTriangulation({ ...stand, distance: 0 })).toThrow(/distance/);
    expect(() => scanTurn([], stand, turn)).toThrow(/threshold/);
    const dark: ColorImage = { width: 640, height: 480, data: new Uint8Array(3 * 640 * 480) };
    expect(findLineCentres(dark).rows).toHaveLength(0);
    expect(() => estimateStand(dark, camera, 200)).toThrow(/Empty the platform/);
  });
});
