import { meshOf, sphere } from '../../test/shapes.js';
import { backwardPool } from '../../test/backward-pool.js';
import { eyesAround, lightOnTriangles, paintedFrames, type Shade } from '../../test/painted-frames.js';
import type { DepthFrame, TriangleMesh } from '../geometry/index.js';
import { createRandom, fromTwist, gaussian, identity, normalize3, type Vec3 } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { textureMesh, type TextureMeshOptions } from './index.js';

const ctx = createRunContext();
const BALL = meshOf(sphere(20), 20, 1);

/** Patches of 5 mm in a few colours: they don't follow the shape. */
function patches([x, y, z]: Vec3): number[] {
  const h = Math.abs(Math.floor(x / 5) * 7 + Math.floor(y / 5) * 13 + Math.floor(z / 5) * 29) % 5;
  return [
    [0.3, 0.12, 0.08],
    [0.1, 0.25, 0.12],
    [0.12, 0.14, 0.34],
    [0.3, 0.28, 0.2],
    [0.09, 0.1, 0.1],
  ][h];
}

function coloured(mesh: TriangleMesh, rooms: DepthFrame[][], options: Partial<TextureMeshOptions> = {}, how = ctx) {
  const scans = rooms.map((frames, i) => ({
    name: `s${i}`,
    setup: `${i}`,
    cloud: { positions: mesh.positions },
    frames,
  }));
  const placements = scans.map(({ name }) => ({ name, state: 'registered' as const, pieceFromScan: identity() }));
  return textureMesh(mesh, scans, placements, { mapSize: 512, ...options }, how);
}

/** Spread of the logarithm of light against the paint's, in the middle of patches, green. */
function lightLeft(result: Awaited<ReturnType<typeof coloured>>): number {
  const { light, middles } = lightOnTriangles(result.mesh);
  const logs = middles
    .map((at, t) => ({ at, log: Math.log(light[3 * t + 1] / patches(at)[1]) }))
    .filter(({ at }) => at.every((c) => Math.abs((((c % 5) + 5) % 5) - 2.5) < 1.3))
    .map(({ log }) => log);
  const mean = logs.reduce((s, v) => s + v, 0) / logs.length;
  return Math.sqrt(logs.reduce((s, v) => s + (v - mean) ** 2, 0) / logs.length);
}

const LAMP = normalize3([0.5, 0.3, 0.8]);
const TURNED = normalize3([-0.4, 0.6, -0.7]);

/** A lamp in the room, light from all around, a lamp at the sensor, each picture exposed in its own way. */
const lit =
  (lamp: Vec3): Shade =>
  (at, n, eye, i) => {
    const to = normalize3([eye[0] - at[0], eye[1] - at[1], eye[2] - at[2]]);
    const falls =
      0.3 +
      0.7 * Math.max(0, n[0] * lamp[0] + n[1] * lamp[1] + n[2] * lamp[2]) +
      0.5 * Math.max(0, n[0] * to[0] + n[1] * to[1] + n[2] * to[2]);
    return patches(at).map((c, k) => c * falls * (0.8 + 0.1 * ((i * 3 + k) % 5)));
  };

test('light, exposure and white balance are taken out of the pictures, and only what is painted stays', async () => {
  const eyes = eyesAround(4, 120);
  const rooms = [paintedFrames(BALL, eyes, lit(LAMP)), paintedFrames(BALL, eyes, lit(TURNED))];
  const out = await coloured(BALL, rooms, { align: false });
  expect(out.lightTold).toBe(true);
  const left = lightLeft(out);
  expect(left).toBeLessThan(0.06);
  expect(lightLeft(await coloured(BALL, rooms, { align: false, light: 'as-seen' }))).toBeGreaterThan(2 * left);
});

test('several cores give the same map', async () => {
  const eyes = eyesAround(3, 120);
  const rooms = [paintedFrames(BALL, eyes, lit(LAMP)), paintedFrames(BALL, eyes, lit(TURNED))];
  const alone = await coloured(BALL, rooms);
  const shared = await coloured(BALL, rooms, {}, createRunContext({ pool: backwardPool }));
  expect(shared.mesh.texture.data).toEqual(alone.mesh.texture.data);
  expect(shared.seenRatio).toBe(alone.seenRatio);
});

test('light that is left in the colour does not lead the alignment astray', async () => {
  const eyes = eyesAround(3, 120);
  const rooms = [paintedFrames(BALL, eyes, lit(LAMP)), paintedFrames(BALL, eyes, lit(TURNED))];
  expect((await coloured(BALL, rooms, { light: 'even' })).moved).toBeLessThan(0.3);
});

test('paint that changes with the shape is not taken for light where pictures agree without any', async () => {
  const paint = ([x, y, z]: Vec3): number[] => [0.22 + 0.008 * x, 0.22 + 0.008 * y, 0.22 + 0.008 * z];
  // Each picture has its own exposure.
  const frames = paintedFrames(BALL, eyesAround(4, 120), (at, _n, _eye, i) =>
    paint(at).map((c) => c * (0.8 + 0.04 * (i % 6))),
  );
  const out = await coloured(BALL, [frames]);
  expect(out.lightTold).toBe(false);
  expect(out.images).toBe(14);
  expect(out.seenRatio).toBeGreaterThan(0.97);
  const { light, middles } = lightOnTriangles(out.mesh);
  const ratios = middles.flatMap((at, t) => paint(at).map((c, k) => light[3 * t + k] / c));
  const mean = ratios.reduce((s, v) => s + v, 0) / ratios.length;
  const off = ratios.map((r) => Math.abs(r / mean - 1)).sort((a, b) => a - b);
  expect(off[Math.floor(0.95 * off.length)]).toBeLessThan(0.05);
});

test('what stands before the object in one picture, and a highlight in another, leave no trace', async () => {
  const shade: Shade = (at, _n, _eye, i) => {
    if (i === 4 && Math.hypot(at[0] - 14, at[1] - 14) < 5) return [0.9, 0.9, 0.9];
    if (i === 5 && Math.hypot(at[1] - 14, at[2]) < 5) return [0.01, 0.01, 0.01];
    return [0.2, 0.15, 0.1];
  };
  const out = await coloured(BALL, [paintedFrames(BALL, eyesAround(6, 120), shade)], { align: false });
  const { light } = lightOnTriangles(out.mesh);
  const green = Array.from(light)
    .filter((_, i) => i % 3 === 1)
    .sort((a, b) => a - b);

  expect(green[green.length - 1] / green[0]).toBeLessThan(1.35);
});

test('pictures whose poses are off are moved until they show the same', async () => {
  const random = createRandom(5);
  const g = (): number => gaussian(random);
  const shakes = Array.from({ length: 20 }, () => {
    const w = [0.004 * g(), 0.004 * g(), 0.004 * g()];
    return fromTwist(w[0], w[1], w[2], 0.4 * g() - 120 * w[1], 0.4 * g() + 120 * w[0], 0.4 * g());
  });
  const shade: Shade = (at) => patches(at);
  const exact = await coloured(BALL, [paintedFrames(BALL, eyesAround(6, 120), shade)]);
  expect(exact.moved).toBeLessThan(0.5);
  const frames = paintedFrames(BALL, eyesAround(6, 120), shade, (i) => shakes[i]);
  const off = async (align: boolean): Promise<number> => {
    const { light, middles } = lightOnTriangles((await coloured(BALL, [frames], { align })).mesh);
    const wrong = middles.map((at, t) => Math.abs(Math.log(light[3 * t + 1] / patches(at)[1])));
    return wrong.filter((w) => w > 0.3).length / wrong.length;
  };
  const aligned = await off(true);
  expect(aligned).toBeLessThan(0.7 * (await off(false)));
});

test('where no picture looks, colour goes on from around; without any picture it is that of the points', async () => {
  const below = eyesAround(6, 120).filter((eye) => eye[2] < -10);
  const shade: Shade = () => [0.3, 0.2, 0.1];
  const out = await coloured(BALL, [paintedFrames(BALL, below, shade)]);
  expect(out.seenRatio).toBeLessThan(0.95);
  const { light, middles } = lightOnTriangles(out.mesh);
  const top = middles.findIndex((at) => at[2] > 19.5);
  expect(light[3 * top] / light[3 * top + 1]).toBeCloseTo(1.5, 1);
  const colors = new Uint8Array(BALL.positions.length).fill(120);
  const bare = await textureMesh({ ...BALL, colors }, [], [], { mapSize: 256 }, ctx);
  expect(bare.images).toBe(0);
  expect(bare.seenRatio).toBe(0);
  expect(Math.abs(bare.mesh.texture.data[3 * 128 * 256] - 120)).toBeLessThanOrEqual(3);
});
