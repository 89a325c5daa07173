import type { DepthFrame } from '../geometry/index.js';
import {
  createRandom,
  fromTranslation,
  fromTwist,
  gaussian,
  invertRigid,
  lookAt,
  multiply,
  rotationAngle,
  transformPoint,
  type Mat4,
} from '../math/index.js';
import { rasterizeDepth } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { lumps, meshOf, sphere } from '../../test/shapes.js';
import { coverageGrowth, judgeFrames, nearestFrame, refineFrames, seenBy } from './index.js';
import { linkFrames } from './link-frames.js';

const camera = { width: 160, height: 120, fx: 240, fy: 240, cx: 79.5, cy: 59.5 };
const mesh = meshOf(lumps, 42, 1.6);

/** A round of frames about a lumpy ball, 0.1 mm of noise, and where they truly stood. */
function round(count: number): { frames: DepthFrame[]; truth: Mat4[] } {
  const random = createRandom(7);
  const truth = Array.from({ length: count }, (_, k) => {
    const a = (2 * Math.PI * k * 1.04) / count;
    return lookAt([200 * Math.cos(a), 200 * Math.sin(a), 60 + 30 * Math.sin(2 * a)], [0, 0, 0], [0, 0, 1]);
  });
  const frames = truth.map((pose, k): DepthFrame => {
    const { depth } = rasterizeDepth(mesh, invertRigid(pose), camera);
    for (let i = 0; i < depth.length; i++) if (depth[i] > 0) depth[i] += 0.1 * gaussian(random);
    return { name: `frame ${k}`, camera, depth, scanFromSensor: pose };
  });
  return { frames, truth };
}

/** Root mean square distance of probe points from where the frames' mean puts them, mm: what is left of the drift. */
function drift(frames: readonly DepthFrame[], truth: readonly Mat4[]): number {
  const probes = [
    [40, 0, 0],
    [-20, 35, 0],
    [0, -20, 35],
    [0, 0, -40],
  ] as const;
  const moved = frames.map((f, i) => multiply(f.scanFromSensor, invertRigid(truth[i])));
  let sum = 0;
  for (const p of probes) {
    const at = moved.map((m) => transformPoint(m, p[0], p[1], p[2]));
    const mean = [0, 1, 2].map((k) => at.reduce((s, q) => s + q[k], 0) / at.length);
    for (const q of at) sum += (q[0] - mean[0]) ** 2 + (q[1] - mean[1]) ** 2 + (q[2] - mean[2]) ** 2;
  }
  return Math.sqrt(sum / (frames.length * probes.length));
}

/** Drift that grows along the way to 2 mm and 1°. */
const drifted = (frames: DepthFrame[]): DepthFrame[] =>
  frames.map((f, k) => {
    const s = k / frames.length;
    const turn = (s * Math.PI) / 180;
    return {
      ...f,
      scanFromSensor: multiply(fromTwist(0.6 * turn, 0, 0.8 * turn, 1.2 * s, 1.6 * s, 0), f.scanFromSensor),
    };
  });

test('a drift of 2 mm and 1° along a round is spread until its ends meet', async () => {
  const { frames, truth } = round(24);
  const bad = drifted(frames);
  expect(drift(bad, truth)).toBeGreaterThan(0.5);
  const r = await refineFrames(bad, {}, createRunContext());
  // The bound of the requirement; what was measured on the jug is in docs/figures.md.
  expect(drift(r.frames, truth)).toBeLessThan(0.15);
  expect(r.frames[0].scanFromSensor).toEqual(bad[0].scanFromSensor);
  expect(Math.max(...r.shifts)).toBeGreaterThan(1);
  // Kept with the frames: what is drawn later as the drift along the way.
  expect(judgeFrames(r.frames, createRunContext()).qualities.map((q) => q.drift)).toEqual(Array.from(r.shifts));
  expect(r.misfits).toEqual([]);
});

test('frames in their right places stay there', async () => {
  const { frames, truth } = round(16);
  const r = await refineFrames(frames, {}, createRunContext());
  expect(drift(r.frames, truth)).toBeLessThan(0.05);
  expect(Math.max(...r.turns)).toBeLessThan(0.003);
});

test('a frame in the wrong place is named, and few or no frames do no harm', async () => {
  const { frames } = round(16);
  const astray = frames.map((f, k) =>
    k === 9 ? { ...f, scanFromSensor: multiply(fromTwist(0, 0.2, 0.1, 6, -9, 4), f.scanFromSensor) } : f,
  );
  expect((await refineFrames(astray, {}, createRunContext())).misfits).toEqual([9]);
  expect((await refineFrames(frames.slice(0, 1), {}, createRunContext())).misfits).toEqual([]);
  expect((await refineFrames([], {}, createRunContext())).frames).toEqual([]);
  const blind = { ...frames[1], depth: new Float32Array(frames[1].depth.length) };
  expect((await refineFrames([frames[0], blind, frames[2], frames[3]], {}, createRunContext())).misfits).toEqual([1]);
});

test('the paint holds what the shape of a ball leaves free', async () => {
  // A ball turned about any axis looks the same in shape; painted in patches 5 mm wide it does not.
  const ball = meshOf(sphere(40), 42, 1.6);
  const paint = (x: number, y: number, z: number): number =>
    128 + 50 * Math.sin(x / 1.5) * Math.cos(y / 1.7) + 50 * Math.sin(z / 1.6 + y / 3);
  const random = createRandom(11);
  const size = { ...camera, fx: 300, fy: 300 };
  const truth = Array.from({ length: 20 }, (_, k) => {
    const a = (2 * Math.PI * k * 1.05) / 20;
    return lookAt([200 * Math.cos(a), 200 * Math.sin(a), 60], [0, 0, 0], [0, 0, 1]);
  });
  const frames = truth.map((pose, k): DepthFrame => {
    const { depth } = rasterizeDepth(ball, invertRigid(pose), size);
    const data = new Uint8Array(3 * depth.length);
    for (let i = 0; i < depth.length; i++) {
      if (!(depth[i] > 0)) continue;
      const x = (((i % 160) - size.cx) / size.fx) * depth[i];
      const y = ((Math.floor(i / 160) - size.cy) / size.fy) * depth[i];
      data.fill(paint(...transformPoint(pose, x, y, depth[i])), 3 * i, 3 * i + 3);
      depth[i] += 0.1 * gaussian(random);
    }
    const color = { camera: size, image: { width: 160, height: 120, data } };
    return { name: `frame ${k}`, camera: size, depth, color, scanFromSensor: pose };
  });
  // The scanner was taken to have gone 6° less far about the ball by the end of the round than it did.
  const slid = frames.map((f, k) => ({
    ...f,
    scanFromSensor: multiply(fromTwist(0, 0, (-6 * k * Math.PI) / (180 * 20), 0, 0, 0), f.scanFromSensor),
  }));
  const turned = (list: readonly DepthFrame[]): number =>
    (Math.max(...list.map((f, k) => rotationAngle(multiply(f.scanFromSensor, invertRigid(truth[k]))))) * 180) / Math.PI;
  expect(turned(slid)).toBeGreaterThan(5.5);
  const pairs = slid
    .flatMap((_, i) => [1, 2, 18, 19].map((d): [number, number] => [i, i + d]))
    .filter(([, j]) => j < 20);
  const linked = await linkFrames(slid, pairs, createRunContext());
  // Half a pixel at the ball's rim.
  expect(turned(slid.map((f, k) => ({ ...f, scanFromSensor: linked[k] })))).toBeLessThan(0.48);
  const r = await refineFrames(slid, {}, createRunContext());
  // The shape's own turn comes last and moves a ball, which it does not hold at all, within its noise: 1.5° here.
  expect(turned(r.frames)).toBeLessThan(2);
  // By shape alone nothing tells them apart.
  const bare = slid.map((f) => ({ ...f, color: undefined }));
  expect(turned((await refineFrames(bare, {}, createRunContext())).frames)).toBeGreaterThan(4);
});

describe('judging frames', () => {
  const knocked = (pose: Mat4): Mat4 => multiply(fromTwist(0.01, 0, 0.02, 2, -1, 1), pose);

  test('frames out of place are named, no others; residuals are about the noise', () => {
    const { frames } = round(40);
    const bad = frames.map((f, i) => (i === 9 || i === 23 ? { ...f, scanFromSensor: knocked(f.scanFromSensor) } : f));
    const { qualities, faults } = judgeFrames(bad, createRunContext());
    expect(faults.flatMap((f, i) => (f.includes('misaligned') ? [i] : []))).toEqual([9, 23]);
    // Noise of 0.1 mm on both sides, and what the smoothing of normals leaves.
    expect(qualities[0].residual).toBeLessThan(0.3);
    expect(qualities[9].residual).toBeGreaterThan(4 * qualities[0].residual);
    expect(judgeFrames(frames, createRunContext()).faults.every((f) => f.length === 0)).toBe(true);
  });

  test('blurred and empty frames are named', () => {
    const { frames } = round(12);
    const random = createRandom(3);
    const grain = Uint8Array.from({ length: 3 * 160 * 120 }, () => 90 + 60 * random());
    const blurred = grain.map((_, i) => {
      const near = [-6, -3, 0, 3, 6].flatMap((d) => [-960, -480, 0, 480, 960].map((e) => grain[i + d + e] ?? 120));
      return near.reduce((a, b) => a + b, 0) / near.length;
    });
    const image = (data: Uint8Array) => ({ camera, image: { width: 160, height: 120, data } });
    const spoilt = frames.map((f, i): DepthFrame => ({
      ...f,
      color: image(i === 4 ? blurred : grain),
      ...(i === 7 ? { depth: f.depth.map((z, p) => (p % 9 === 0 ? z : 0)) } : {}),
    }));
    const { faults } = judgeFrames(spoilt, createRunContext());
    expect(faults[4]).toContain('blurred');
    expect(faults[7]).toContain('empty');
    expect(faults.filter((f) => f.includes('blurred') || f.includes('empty'))).toHaveLength(2);
  });
});

test('a point is seen by the frames that measured its surface, and by no others', () => {
  const { frames, truth } = round(8);
  const [first] = frames;
  // The middle of the picture of the first frame, and the same 5 mm before and behind it.
  const at = Math.round(camera.cy) * camera.width + Math.round(camera.cx);
  const z = first.depth[at];
  const place = (d: number) => transformPoint(truth[0], (0.5 / 240) * (z + d), (0.5 / 240) * (z + d), z + d);
  const positions = Float32Array.from([place(0), place(-5), place(5)].flat());
  expect(Array.from(seenBy(positions, [first], 1, createRunContext()))).toEqual([1, 0, 0]);
  // From the other side it is hidden.
  expect(seenBy(positions, [frames[4]], 1, createRunContext())[0]).toBe(0);
  // A frame that sees nothing of it, then one from nearer by: the third of the list is named.
  const nearer = { ...first, depth: first.depth.map((d) => (d > 0 ? d - 1 : 0)) };
  nearer.scanFromSensor = multiply(first.scanFromSensor, fromTranslation(0, 0, 1));
  expect(Array.from(nearestFrame(positions, [frames[4], first, nearer], 1, createRunContext()))).toEqual([2, -1, -1]);
});

describe('how the surface seen grew', () => {
  test('along a round it grows all the way, and stands still where nothing new is seen', () => {
    const { frames } = round(24);
    const growth = coverageGrowth(frames);
    expect(growth).toHaveLength(24);
    expect(growth[23]).toBe(1);
    expect(growth[11]).toBeGreaterThan(0.4);
    expect(growth[11]).toBeLessThan(0.9);
    growth.slice(1).forEach((v, i) => expect(v).toBeGreaterThanOrEqual(growth[i]));
    const twice = coverageGrowth([...frames, ...frames]);
    expect(twice).toHaveLength(24);
    // The second round sees what the first had seen.
    expect(twice[11]).toBe(1);
  });

  test('of a single frame, or of nothing, there is none', () => {
    const { frames } = round(2);
    expect(coverageGrowth(frames.slice(0, 1))).toEqual([]);
    expect(coverageGrowth(frames.map((f) => ({ ...f, depth: new Float32Array(f.depth.length) })))).toEqual([]);
  });
});
