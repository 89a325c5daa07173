import { meshOf, sphere } from '../../test/shapes.js';
import { eyesAround, lightOnTriangles, paintedFrames, type Shade } from '../../test/painted-frames.js';
import { NO_PICTURE, type TexturedMesh } from '../geometry/index.js';
import { identity, type Vec3 } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { textureMesh, type PictureWish } from './index.js';

const BALL = meshOf(sphere(20), 20, 1);
const EYES = eyesAround(4, 120);
/** The picture from above, and what it shows where nothing of the kind is: a sticker on its lens. */
const ABOVE = 0;
const STICKER: Vec3 = [3, 2, 20];
const near = (at: ArrayLike<number>, ball: readonly number[]): boolean =>
  Math.hypot(at[0] - ball[0], at[1] - ball[1], at[2] - ball[2]) < ball[3];
const shade: Shade = (at, _normal, _eye, i) =>
  i === ABOVE && near(at, [...STICKER, 4]) ? [0.8, 0.05, 0.05] : [0.3, 0.3, 0.3];

async function coloured(wishes: PictureWish[], notes: string[] = []): Promise<TexturedMesh> {
  const frames = paintedFrames(BALL, EYES, shade);
  const scans = [{ name: 's', cloud: { positions: BALL.positions }, frames }];
  const placements = [{ name: 's', state: 'registered' as const, pieceFromScan: identity() }];
  const ctx = createRunContext({ onNote: (n) => notes.push(n) });
  const options = { mapSize: 256, light: 'as-seen' as const, align: false, wishes };
  return (await textureMesh(BALL, scans, placements, options, ctx)).mesh;
}

/** Share of the triangles in a ball whose colour is red. */
function redness(mesh: TexturedMesh): number {
  const { light, middles } = lightOnTriangles(mesh);
  const there = middles.map((at, t) => ({ at, t })).filter(({ at }) => near(at, [...STICKER, 4]));
  return there.filter(({ t }) => light[3 * t] > 1.5 * light[3 * t + 1]).length / there.length;
}

/** Vertices by the picture that most of their colour is from. */
function countsOf({ coloredBy, pictures }: TexturedMesh): Map<string, number> {
  const counts = new Map<string, number>();
  for (const i of coloredBy!) {
    const name = i === NO_PICTURE ? 'around' : pictures![i].frame;
    counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return counts;
}

test('each place knows the picture that most of its colour is from', async () => {
  const mesh = await coloured([]);
  expect(mesh.pictures!.map((p) => p.frame)).toEqual(EYES.map((_, i) => `f${i}`));
  const p = mesh.positions;
  let right = 0;
  for (let v = 0; v < p.length / 3; v++) {
    const facing = EYES.map((e) => e[0] * p[3 * v] + e[1] * p[3 * v + 1] + e[2] * p[3 * v + 2]);
    // All eyes are equally far from a ball: the one that sees a place most squarely, or one that is hardly worse.
    if (facing[mesh.coloredBy![v]] > 0.97 * Math.max(...facing)) right++;
  }
  expect(right / (p.length / 3)).toBeGreaterThan(0.95);
});

test('a picture that is wanted nowhere colours nothing', async () => {
  expect(redness(await coloured([]))).toBeGreaterThan(0.1);
  const mesh = await coloured([{ scan: 's', frame: 'f0', how: 'not' }]);
  expect(countsOf(mesh).has('f0')).toBe(false);
  expect(redness(mesh)).toBe(0);
});

test('a picture that is not wanted at a place goes on elsewhere', async () => {
  const mesh = await coloured([{ scan: 's', frame: 'f0', how: 'not', ball: [...STICKER, 6] }]);
  expect(redness(mesh)).toBe(0);
  expect(countsOf(mesh).get('f0')).toBeGreaterThan(50);
});

test('a picture that is rather wanted takes the place over where it sees it, and the rest stays', async () => {
  const before = await coloured([]);
  const ball = [9, 12, 13, 5] as const;
  const after = await coloured([{ scan: 's', frame: 'f0', how: 'rather', ball }]);
  let inside = 0;
  let taken = 0;
  let elsewhere = 0;
  for (let v = 0; v < before.coloredBy!.length; v++) {
    const at = before.positions.subarray(3 * v, 3 * v + 3);
    if (near(at, ball)) {
      inside++;
      if (after.coloredBy![v] === 0) taken++;
    } else if (!near(at, [ball[0], ball[1], ball[2], 1.31 * ball[3]]) && before.coloredBy![v] !== after.coloredBy![v])
      elsewhere++;
  }
  expect(taken / inside).toBeGreaterThan(0.9);
  expect(elsewhere).toBe(0);
});

test('what is asked of a picture that is not there is said, and the rest goes on', async () => {
  const notes: string[] = [];
  await coloured([{ scan: 's', frame: 'gone', how: 'not' }], notes);
  expect(notes).toEqual(['There is no picture "gone" of "s": what was asked of it is left out.']);
});
