import type { DepthFrame } from '../src/geometry/index.js';
import { createRandom, gaussian, invertRigid, lookAt, transformPoint, type Mat4 } from '../src/math/index.js';

/** A bare ball with marker dots stuck on, in closed form: nothing but the dots tells how it is turned. Millimetres. */
export const BALL_RADIUS = 60;

/** Middles of the dots, scattered with a least distance; 3 numbers each. */
export function ballDots(count = 60, seed = 4): Float64Array {
  const random = createRandom(seed);
  const out: number[] = [];
  while (out.length < 3 * count) {
    const d = [gaussian(random), gaussian(random), gaussian(random)];
    const l = BALL_RADIUS / Math.hypot(...d);
    const p = d.map((x) => x * l);
    let near = Infinity;
    for (let i = 0; i < out.length; i += 3)
      near = Math.min(near, Math.hypot(p[0] - out[i], p[1] - out[i + 1], p[2] - out[i + 2]));
    if (near > 13) out.push(...p);
  }
  return Float64Array.from(out);
}

/** A sensor around the ball, degrees. */
export function sensorAt(around: number, up = 15, distance = 300): Mat4 {
  const [a, b] = [(around * Math.PI) / 180, (up * Math.PI) / 180];
  const eye: [number, number, number] = [
    distance * Math.cos(b) * Math.cos(a),
    distance * Math.cos(b) * Math.sin(a),
    distance * Math.sin(b),
  ];
  return lookAt(eye, [0, 0, 0], [0, 0, 1]);
}

const camera = { width: 320, height: 240, fx: 520, fy: 520, cx: 159.5, cy: 119.5 };
/** Rays a pixel and direction in a colour picture, so that edges are soft. */
const FINE = 3;

/** What a depth sensor sees of it: depth with noise, colour with the dots (white 2 mm in black 3.5 mm) on grey. */
export function ballFrame(dots: Float64Array, pose: Mat4, seed = 1, noise = 0.1): Omit<DepthFrame, 'scanFromSensor'> {
  const random = createRandom(seed);
  const { width, height, fx, fy, cx, cy } = camera;
  const depth = new Float32Array(width * height);
  const data = new Uint8Array(3 * width * height).fill(30);
  const m = invertRigid(pose);
  // Middle of the ball as the sensor has it.
  const c = [m[12], m[13], m[14]];
  const seen: [number, number, number][] = [];
  for (let i = 0; i < dots.length; i += 3) {
    const p = transformPoint(m, dots[i], dots[i + 1], dots[i + 2]);
    if ((p[0] - c[0]) * p[0] + (p[1] - c[1]) * p[1] + (p[2] - c[2]) * p[2] < 0) seen.push([p[0], p[1], p[2]]);
  }
  const hit = (u: number, v: number): number => {
    const [x, y] = [(u - cx) / fx, (v - cy) / fy];
    const a = x * x + y * y + 1;
    const b = x * c[0] + y * c[1] + c[2];
    const d = b * b - a * (c[0] ** 2 + c[1] ** 2 + c[2] ** 2 - BALL_RADIUS ** 2);
    return d > 0 ? (b - Math.sqrt(d)) / a : 0;
  };
  const paint = (u: number, v: number, z: number): number => {
    const [x, y] = [((u - cx) / fx) * z, ((v - cy) / fy) * z];
    for (const [px, py, pz] of seen) {
      const d = (x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2;
      if (d < 3.5 ** 2) return d < 4 ? 235 : 22;
    }
    return 150;
  };
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const z = hit(u, v);
      if (z === 0) continue;
      depth[i] = z + noise * gaussian(random);
      let sum = 0;
      for (let k = 0; k < FINE * FINE; k++) {
        const [su, sv] = [u - 0.5 + ((k % FINE) + 0.5) / FINE, v - 0.5 + (Math.floor(k / FINE) + 0.5) / FINE];
        const sz = hit(su, sv);
        sum += sz > 0 ? paint(su, sv, sz) : 30;
      }
      data.fill(Math.round(sum / FINE ** 2 + 1.5 * gaussian(random)), 3 * i, 3 * i + 3);
    }
  }
  return { name: 'ball', camera, depth, color: { camera, image: { width, height, data } } };
}
