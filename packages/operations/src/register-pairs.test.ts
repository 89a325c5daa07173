import type { Placement, Scan } from '@amber-knit/core/geometry';
import {
  createRandom,
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
  type Mat4,
  type Vec3,
} from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { galleyJug, simulateSingleViews, truthMesh, type SingleView } from '@amber-knit/demo';
import { findOperation, runOperation } from './index.js';
import type { PickedPair } from './params.js';

const views = simulateSingleViews(truthMesh(galleyJug), galleyJug.color, {
  views: 14,
  setups: 2,
  tables: false,
  points: 16_000,
}).slice(0, 3);
const scans: Scan[] = views.map((v) => ({ name: v.name, cloud: v.cloud, viewpoints: [[0, 0, 0]] }));

/** Places picked by hand: points of `from` seen in `onto` as well, each off by about a millimetre, spread out. */
function picks(from: SingleView, onto: SingleView, count: number, turn?: Mat4): PickedPair[] {
  const random = createRandom(7);
  const ontoFromFrom = multiply(invertRigid(onto.objectFromSensor), from.objectFromSensor);
  const out: PickedPair[] = [];
  for (let tries = 0; out.length < count && tries < 20_000; tries++) {
    const i = Math.floor((random() * from.cloud.positions.length) / 3);
    const p = Array.from(from.cloud.positions.slice(3 * i, 3 * i + 3)) as Vec3;
    const q = transformPoint(ontoFromFrom, ...p);
    const near = [...Array(onto.cloud.positions.length / 3).keys()].some(
      (j) => Math.hypot(...[0, 1, 2].map((k) => onto.cloud.positions[3 * j + k] - q[k])) < 1,
    );
    if (!near || out.some((o) => Math.hypot(...o.from.map((v, k) => v - p[k])) < 25)) continue;
    const there = turn ? transformPoint(turn, ...q) : q;
    out.push({ from: p, scan: onto.name, onto: there.map((v) => v + 1.2 * (random() - 0.5)) });
  }
  expect(out).toHaveLength(count);
  return out;
}
const run = (params: object, placements?: Placement[]) => {
  const notes: string[] = [];
  const ctx = createRunContext({ seed: 1, onNote: (n) => notes.push(n) });
  const data = { scans, ...(placements ? { placements } : {}) };
  return runOperation(findOperation('register.pairs'), data, params, ctx).then((r) => ({ ...r, notes }));
};
const placeOf = (placements: Placement[], name: string): Placement => placements.find((p) => p.name === name)!;

test('picked pairs place a scan on another, fine fitting makes it exact; what is loose stays loose', async () => {
  const [a, b, c] = views;
  const { outputs, figures } = await run({ scan: b.name, pairs: picks(b, a, 4) });
  const placed = outputs.placements!;
  expect(placed.map((p) => p.state)).toEqual(['registered', 'registered', 'loose']);
  expect(figures.pickedRms).toBeLessThan(1.2);
  const found = multiply(invertRigid(placeOf(placed, a.name).pieceFromScan), placeOf(placed, b.name).pieceFromScan);
  const truth = multiply(invertRigid(a.objectFromSensor), b.objectFromSensor);
  const error = multiply(invertRigid(truth), found);
  const middle = transformPoint(invertRigid(b.objectFromSensor), 0, 0, 75);
  expect((rotationAngle(error) * 180) / Math.PI).toBeLessThan(0.2);
  expect(Math.hypot(...transformPoint(error, ...middle).map((v, k) => v - middle[k]))).toBeLessThan(0.2);

  // The third is picked on the two that have a place now.
  const more = await run({ scan: c.name, pairs: [...picks(c, b, 3), ...picks(c, a, 1)] }, placed);
  expect(more.outputs.placements!.map((p) => p.state)).toEqual(['registered', 'registered', 'registered']);
});

test('picks that put a scan where it contradicts the other leave it placed, and say so', async () => {
  const [a, b] = views;
  // Seen from the side: turned half round about the line of sight through the jug's middle.
  const [x, y] = transformPoint(invertRigid(a.objectFromSensor), 0, 0, 75);
  const turned = Float64Array.of(-1, 0, 0, 0, 0, -1, 0, 0, 0, 0, 1, 0, 2 * x, 2 * y, 0, 1);
  const { outputs, notes } = await run({ scan: b.name, pairs: picks(b, a, 4, turned) });
  expect(placeOf(outputs.placements!, b.name).state).toBe('placed');
  expect(notes.join()).toMatch(/stays placed, not registered/);
});

test('without fine fitting the scan is placed where the picks say', async () => {
  const { outputs } = await run({ scan: views[1].name, pairs: picks(views[1], views[0], 3), refine: false });
  expect(placeOf(outputs.placements!, views[1].name).state).toBe('placed');
});

test('too few pairs, pairs on a loose scan or on itself, and broken pairs are refused in words', async () => {
  const [a, b, c] = views;
  const three = picks(b, a, 3);
  await expect(run({ scan: b.name, pairs: three.slice(1) })).rejects.toThrow(/2 pairs were picked/);
  await expect(run({ scan: a.name, pairs: three })).rejects.toThrow(/Both places of a pair/);
  const placements: Placement[] = [{ name: c.name, state: 'registered', pieceFromScan: b.objectFromSensor }];
  await expect(run({ scan: b.name, pairs: three }, placements)).rejects.toThrow(/is loose itself/);
  await expect(run({ scan: 'gone', pairs: three })).rejects.toThrow(/no scan "gone"/);
  await expect(run({ scan: b.name, pairs: [{ from: [1, 2], scan: a.name, onto: [0, 0, 0] }] })).rejects.toThrow(
    /Pairs \(pairs\)/,
  );
});
