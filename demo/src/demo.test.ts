import { pinhole } from '@amber-knit/core/geometry';
import { createHash } from 'node:crypto';
import { createRandom, lookAt } from '@amber-knit/core/math';
import { inspectTopology } from '@amber-knit/core/mesh';
import { enclosedVolume } from '@amber-knit/core/measure';
import {
  cornerSurface,
  captureFrame,
  galleyJug,
  HAND_HELD_DEPTH_CAMERA,
  restingPose,
  setupScene,
  truthMesh,
  UPRIGHT,
} from './index.js';

const truth = truthMesh(galleyJug, 3);
const camera = { ...HAND_HELD_DEPTH_CAMERA, depth: pinhole(64, 52, 34), color: { width: 64, height: 52 } };
const scene = setupScene(truth, restingPose(truth, UPRIGHT), galleyJug.color, 0.5, 110);
const eye: [number, number, number] = [300, 60, 160];
const pose = lookAt(eye, [0, 0, 74], [0, 0, 1]);
const shoot = (seed: number) => captureFrame(scene, pose, camera, createRandom(seed), 'f');

test('the jug is one closed body with one tunnel, its handle', () => {
  expect(inspectTopology(truth)).toMatchObject({ watertight: true, pieces: 1, euler: 0 });
  expect(enclosedVolume(truth)).toBeGreaterThan(1e5);
  for (let i = 0; i < 300; i += 3)
    expect(
      Math.abs(galleyJug.distance(truth.positions[i], truth.positions[i + 1], truth.positions[i + 2])),
    ).toBeLessThan(0.1);
});

test('the same seed gives the same bytes, another seed others', () => {
  const digest = (seed: number): string => {
    const f = shoot(seed);
    return createHash('sha256').update(new Uint8Array(f.depth.buffer)).update(f.color!.image.data).digest('hex');
  };
  expect(digest(1)).toBe(digest(1));
  expect(digest(1)).not.toBe(digest(2));
});

test('depth has noise of the stated size, drop-outs, projector shadow and flying pixels', () => {
  const a = shoot(1).depth;
  const b = shoot(2).depth;
  const differences: number[] = [];
  let once = 0;
  for (let i = 0; i < a.length; i++) {
    if (a[i] > 0 && b[i] > 0) differences.push(a[i] - b[i]);
    else if (a[i] > 0 || b[i] > 0) once++;
  }
  const sorted = differences.map(Math.abs).sort((x, y) => x - y);
  // Two independent errors: median of |difference| is 0.954 of one deviation.
  const sigma = sorted[sorted.length >> 1] / 0.954;
  expect(sigma).toBeGreaterThan(0.05);
  expect(sigma).toBeLessThan(0.3);
  expect(once).toBeGreaterThan(5);
  expect(sorted[sorted.length - 1]).toBeGreaterThan(5);
  const noProjector = captureFrame(scene, pose, { ...camera, baseline: 0 }, createRandom(1), 'f').depth;
  const count = (d: Float32Array): number => d.reduce((n, z) => n + (z > 0 ? 1 : 0), 0);
  expect(count(a)).toBeLessThan(count(noProjector));
});

test('the wheelhouse corner as a surface is open behind its walls, coloured, and no coarser than asked', () => {
  const { positions: p, colors, indices } = cornerSurface(60);
  expect(colors).toHaveLength(p.length);
  for (let i = 0; i < p.length; i++) expect(p[i] >= [-700, -700, 0][i % 3] - 1e-3).toBe(true);
  let longest = 0;
  for (let t = 0; t < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const [a, b] = [3 * indices[t + k], 3 * indices[t + ((k + 1) % 3)]];
      longest = Math.max(longest, Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]));
    }
  expect(longest).toBeLessThanOrEqual(60);
  expect(longest).toBeGreaterThan(30);
});
