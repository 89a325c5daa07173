import { eyesAround, paintedFrames, type Shade } from '../../test/painted-frames.js';
import { meshOf, sphere } from '../../test/shapes.js';
import { vertexNormals } from '../geometry/index.js';
import { dot3, identity, normalize3, type Vec3 } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { CoarsePicture } from './coarse-picture.js';
import { fitLight, type LightFit } from './fit-light.js';
import { colorFrames, viewsOfFrames } from './frame-views.js';
import { ShadowPicture } from './shadow-picture.js';

const ctx = createRunContext();
const bare = meshOf(sphere(20), 20, 1);
const BALL = { ...bare, normals: vertexNormals(bare) };
const LAMPS: Vec3[] = [normalize3([0.5, 0.3, 0.8]), normalize3([-0.4, 0.6, -0.7])];

/** Two rooms, each with its lamp and frames of exposures in steps of a tenth. */
async function fitted(lampStrength: number): Promise<LightFit> {
  const scans = LAMPS.map((lamp, i) => {
    const shade: Shade = (at, n, eye, frame) => {
      const to = normalize3([eye[0] - at[0], eye[1] - at[1], eye[2] - at[2]]);
      const paint = Math.abs(Math.floor(at[0] / 5) + Math.floor(at[1] / 5) + Math.floor(at[2] / 5)) % 2 ? 0.25 : 0.12;
      const light = 0.3 + lampStrength * Math.max(0, dot3(n, lamp)) + 0.5 * Math.max(0, dot3(n, to));
      return [1, 1, 1].map(() => paint * light * (0.8 + 0.1 * (frame % 5)));
    };
    const frames = paintedFrames(BALL, eyesAround(3, 120), shade);
    return { name: `s${i}`, setup: `${i}`, cloud: { positions: BALL.positions }, frames };
  });
  const placements = scans.map(({ name }) => ({ name, state: 'registered' as const, pieceFromScan: identity() }));
  const views = await viewsOfFrames(BALL, colorFrames(scans, placements), ctx);
  return fitLight(
    BALL,
    views,
    views.map((v) => new CoarsePicture(v)),
    BALL,
    ctx,
  );
}

test('exposures, the lamp of each room and the one at the sensor are found', async () => {
  const { model, told, misfit } = await fitted(0.7);
  expect(told).toBe(true);
  expect(misfit).toBeLessThan(0.05);
  LAMPS.forEach((lamp, room) => {
    const found = model.lamps[room]!.direction;
    expect((Math.acos(dot3(found, lamp)) * 180) / Math.PI).toBeLessThan(12);
  });
  // Frame 1 against frame 0: exposures 0.9 and 0.8.
  const frames = model.gains.length / 3 / 2;
  for (const room of [0, 1]) {
    const gain = (frame: number): number => model.gains[3 * (room * frames + frame) + 1];
    expect(Math.abs(gain(4) / gain(0) / (1.2 / 0.8) - 1)).toBeLessThan(0.06);
  }
});

test('a place behind the body is in its shadow, one before it is not', () => {
  const shadows = new ShadowPicture(BALL, [0, 0, 1]);
  expect(shadows.litAt(0, 0, 20)).toBe(1);
  expect(shadows.litAt(0, 0, -20)).toBe(0);
  const { lit } = shadows.lampOn(Float32Array.of(5, 0, 30, 5, 0, -30));
  expect(Array.from(lit)).toEqual([255, 0]);
});
