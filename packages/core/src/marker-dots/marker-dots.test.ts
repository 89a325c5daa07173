import { ballDots, ballFrame, BALL_RADIUS, sensorAt } from '../../test/dotted-ball.js';
import { fromTwist, invertRigid, multiply, rotationAngle, transformPoint, type Mat4 } from '../math/index.js';
import { DotMap, findDots } from './index.js';

const dots = ballDots();

/** The known dots as a sensor has them, that it sees no more slantingly than a cosine says. */
function facing(pose: Mat4, cosine: number): number[][] {
  const m = invertRigid(pose);
  const c = [m[12], m[13], m[14]];
  const out: number[][] = [];
  for (let i = 0; i < dots.length; i += 3) {
    const p = transformPoint(m, dots[i], dots[i + 1], dots[i + 2]);
    const n = [0, 1, 2].map((k) => (p[k] - c[k]) / BALL_RADIUS);
    const l = Math.hypot(...p);
    if (-(n[0] * p[0] + n[1] * p[1] + n[2] * p[2]) / l > cosine) out.push([...p]);
  }
  return out;
}

const nearest = (to: number[], list: number[][]): number =>
  list.reduce((least, p) => Math.min(least, Math.hypot(...p.map((x, k) => x - to[k]))), Infinity);

const listOf = (flat: Float32Array): number[][] =>
  Array.from({ length: flat.length / 3 }, (_, i) => Array.from(flat.subarray(3 * i, 3 * i + 3)));

function poseError(a: Mat4, b: Mat4): { shift: number; deg: number } {
  const d = multiply(invertRigid(a), b);
  const p = transformPoint(d, 0, 0, 300);
  return { shift: Math.hypot(p[0], p[1], p[2] - 300), deg: (rotationAngle(d) * 180) / Math.PI };
}

test('dots are found where they are, all that face the sensor and nothing else', () => {
  const errors: number[] = [];
  let missed = 0;
  let wanted = 0;
  for (let k = 0; k < 8; k++) {
    const pose = sensorAt(45 * k, -20 + 9 * k);
    const found = listOf(findDots(ballFrame(dots, pose, k)));
    const all = facing(pose, 0.05);
    for (const f of found) {
      const off = nearest(f, all);
      expect(off).toBeLessThan(0.6);
      errors.push(off);
    }
    for (const w of facing(pose, 0.6)) {
      wanted++;
      if (nearest(w, found) > 1) missed++;
    }
  }
  expect(wanted).toBeGreaterThan(60);
  expect(missed).toBe(0);
  const rms = Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / errors.length);
  // Against the ball in closed form; depths with 0.1 mm of noise a pixel.
  expect(rms).toBeLessThan(0.12);
});

test('a bare or unpainted thing has no dots, nor has a picture without depth', () => {
  expect(findDots(ballFrame(new Float64Array(0), sensorAt(0)))).toHaveLength(0);
  const frame = ballFrame(dots, sensorAt(0));
  expect(findDots({ ...frame, color: undefined })).toHaveLength(0);
  expect(findDots({ ...frame, depth: new Float32Array(frame.depth.length) })).toHaveLength(0);
});

test('dots learned from one side tell where the sensor is, with a guess and without', () => {
  const map = new DotMap();
  for (const a of [0, 8, 16]) map.learn(findDots(ballFrame(dots, sensorAt(a), a)), sensorAt(a));
  expect(map.count).toBeGreaterThan(15);
  const truth = multiply(sensorAt(20), fromTwist(0, 0, 0.9, 0, 0, 0));
  const seen = findDots(ballFrame(dots, truth, 7));
  // Rolled by 50°: nothing looks alike but the distances.
  const found = map.recognise(seen)!;
  expect(found.seen.length / 3).toBeGreaterThanOrEqual(8);
  expect(poseError(truth, found.mapFromSensor).shift).toBeLessThan(0.2);
  const followed = map.follow(seen, multiply(truth, fromTwist(0.01, 0.01, 0, 1, 1, 0)), 6)!;
  expect(poseError(truth, followed.mapFromSensor).shift).toBeLessThan(0.2);
  expect(followed.rms).toBeLessThan(0.2);
});

test('dots of another side or another thing are not recognised', () => {
  const map = new DotMap();
  for (const a of [0, 8, 16]) map.learn(findDots(ballFrame(dots, sensorAt(a), a)), sensorAt(a));
  expect(map.recognise(findDots(ballFrame(dots, sensorAt(190), 3)))).toBeUndefined();
  for (let seed = 11; seed < 15; seed++) {
    const other = ballDots(60, seed);
    expect(map.recognise(findDots(ballFrame(other, sensorAt(8), 3)))).toBeUndefined();
  }
});

test('seeing a dot again makes it surer, not two', () => {
  const map = new DotMap();
  const pose = sensorAt(0);
  map.learn(findDots(ballFrame(dots, pose, 1)), pose);
  const once = map.count;
  for (let seed = 2; seed < 8; seed++) map.learn(findDots(ballFrame(dots, pose, seed)), pose);
  expect(map.count).toBeLessThanOrEqual(once + 2);
});
