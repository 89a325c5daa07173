import type { Placement, TexturedMesh } from '@amber-knit/core/geometry';
import { boundsOf } from '@amber-knit/core/geometry';
import {
  fromAxisAngle,
  fromTranslation,
  invertRigid,
  multiply,
  transformPoint,
  transformPoints,
  type Mat4,
} from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { BoxGeometry, LatheGeometry, Vector2 } from 'three';
import { checkMeasure, CheckMeasureParams } from './check-measure.js';
import { checkUpright, CheckUprightParams } from './check-upright.js';
import type { WorkData } from './operation.js';
import { parseParams } from './params.js';

const geometry = new BoxGeometry(60, 40, 20, 12, 8, 4);
const tilt = multiply(fromTranslation(70, -20, 5), fromAxisAngle([0.3, 0.8, -0.2], 0.9));
const mesh = {
  positions: transformPoints(tilt, Float32Array.from(geometry.getAttribute('position').array)),
  indices: Uint32Array.from(geometry.getIndex()!.array),
};
const run = (values: object, more: Partial<WorkData> = {}) =>
  checkUpright.run({ mesh, ...more }, parseParams(CheckUprightParams, values), createRunContext({ seed: 1 }));
const on = (m: Mat4, p: [number, number, number]) => transformPoint(m, ...p).map((c) => Number(c.toFixed(3)));

test('a tilted box is set on its broadest base, its origin in the middle of it', async () => {
  const { outputs, figures } = await run({});
  const { min, max } = boundsOf(outputs.mesh.positions);
  expect(min[2]).toBeCloseTo(0, 3);
  expect(max[2]).toBeCloseTo(20, 3);
  expect([min[0] + max[0], min[1] + max[1]].every((v) => Math.abs(v) < 1e-3)).toBe(true);
  expect(figures.rests).toBeCloseTo(2400, 0);
  expect(outputs.model).toBeUndefined();
});

test('scans, map, dimensions, comparison and rival places move as the surface does, and measure the same', async () => {
  const params = parseParams(CheckMeasureParams, {
    dimensions: [
      {
        name: 'Width',
        note: '',
        kind: 'distance',
        places: [transformPoint(tilt, -30, 20, 10), transformPoint(tilt, 30, 20, 10)],
      },
    ],
  });
  const measured = await checkMeasure.run({ mesh }, params, createRunContext({ seed: 1 }));
  const rival = fromAxisAngle([0, 0, 1], 1);
  const placed: Placement = {
    name: 'a',
    state: 'placed',
    pieceFromScan: tilt,
    doubt: { scans: ['a'], chosen: {} as never, rivals: [{ pieceFromPiece: rival, agreement: {} as never }] },
  };
  const model: TexturedMesh = {
    ...mesh,
    cornerUvs: new Float32Array(2 * mesh.indices.length),
    texture: { width: 1, height: 1, data: new Uint8Array(3) },
  };
  const { outputs } = await run(
    {},
    {
      placements: [placed],
      model,
      dimensions: measured.outputs.dimensions,
      deviation: {
        values: new Float32Array(3),
        tolerance: 1,
        reference: 'r',
        referenceFromPiece: [...invertRigid(tilt)],
        worst: [{ place: transformPoint(tilt, 30, 20, 10), deviation: 1 }],
      },
    },
  );
  const motion = multiply(outputs.placements[0].pieceFromScan, invertRigid(tilt));
  expect(on(motion, transformPoint(tilt, 30, 20, 10))).toEqual(
    outputs.deviation.worst[0].place.map((c) => Number(c.toFixed(3))),
  );
  expect([...outputs.model.positions]).toEqual([...outputs.mesh.positions]);
  // Where the reference lies in itself stays the same.
  const before = on(invertRigid(tilt), transformPoint(tilt, 1, 2, 3));
  expect(
    on(Float64Array.from(outputs.deviation.referenceFromPiece), transformPoint(multiply(motion, tilt), 1, 2, 3)),
  ).toEqual(before);
  const again = await checkMeasure.run(
    { mesh: outputs.mesh },
    parseParams(CheckMeasureParams, { dimensions: outputs.dimensions.asked }),
    createRunContext({ seed: 1 }),
  );
  expect(again.outputs.dimensions.found[0].values[0].value).toBeCloseTo(60, 3);
  expect(again.outputs.dimensions.found[0].moved).toBeLessThan(1e-3);
  // A scan at its rival place, moved, is the moved scan at the moved rival place.
  const moved = outputs.placements[0].doubt!.rivals[0].pieceFromPiece;
  expect(on(multiply(moved, motion), [4, 5, 6])).toEqual(on(multiply(motion, rival), [4, 5, 6]));
});

test('up by a direction and by angles; what is none is refused', async () => {
  const upright = await run({
    up: 'direction',
    direction: [...transformPoint(fromAxisAngle([0.3, 0.8, -0.2], 0.9), 1, 0, 0)].join(', '),
  });
  expect(upright.figures.height).toBeCloseTo(60, 2);
  const turned = await run({ up: 'angles', turnX: 90, ground: false, origin: 'keep' });
  expect(turned.figures.turned).toBeCloseTo(Math.PI / 2, 6);
  const kept = await run({ up: 'keep', origin: 'keep' });
  expect(kept.figures.turned).toBe(0);
  for (const direction of ['', '1, 2', '0, 0, 0', 'up'])
    await expect(run({ up: 'direction', direction })).rejects.toThrow(/no direction/);
});

test('a vessel is set along the axis it was turned about; a box has none and says so', async () => {
  const vase = new LatheGeometry(
    Array.from({ length: 40 }, (_, k) => new Vector2(20 + 6 * Math.sin(k / 6), 2 * k)),
    90,
  ).rotateX(Math.PI / 2);
  const lying = {
    positions: transformPoints(tilt, Float32Array.from(vase.getAttribute('position').array)),
    indices: Uint32Array.from(vase.getIndex()!.array),
  };
  const { outputs, figures } = await run({ up: 'axis' }, { mesh: lying });
  const { min, max } = boundsOf(outputs.mesh.positions);
  expect(max[2] - min[2]).toBeCloseTo(78, 1);
  expect(max[0] - min[0]).toBeCloseTo(max[1] - min[1], 1);
  expect(figures.aboutAxis).toBeGreaterThan(0.9);
  await expect(run({ up: 'axis' })).rejects.toThrow(/no single axis.*on its base/);
});

test('up and along X by what was measured: a fitted plane, three picked places, from one place to another', async () => {
  const places = (...of: [number, number, number][]) => of.map((p) => transformPoint(tilt, ...p));
  const ask = (name: string, kind: string, where: ReturnType<typeof places>, more: object = {}) => ({
    name,
    note: '',
    kind,
    places: where,
    ...more,
  });
  const params = parseParams(CheckMeasureParams, {
    dimensions: [
      ask('Side', 'shape', places([30, 2, 1]), { shapes: ['plane'] }),
      ask('Corner', 'angle', places([30, -20, 10], [-30, -20, 10], [-30, 20, 10])),
      ask('Edge', 'distance', places([-30, -20, 10], [-30, 20, 10])),
      ask('Mark', 'note', places([30, 2, 1])),
    ],
  });
  const { outputs } = await checkMeasure.run({ mesh }, params, createRunContext({ seed: 1 }));
  const { dimensions } = outputs;
  const size = async (values: object) => {
    const { figures } = await run({ up: 'measured', ...values }, { dimensions });
    return [figures.width, figures.depth, figures.height].map((v) => Math.round((v ?? NaN) * 10) / 10);
  };
  // The box is 60 by 40 by 20.
  expect(await size({ measured: 'Side', alongX: 'Edge' })).toEqual([40, 20, 60]);
  expect(await size({ measured: 'Corner', alongX: 'Edge' })).toEqual([40, 60, 20]);
  // From its first place to its second: the second is on top.
  const up = await run({ up: 'measured', measured: 'Edge' }, { dimensions });
  const [first, second] = up.outputs.dimensions!.asked[2].places;
  expect(second[2] - first[2]).toBeCloseTo(40, 3);
  await expect(size({ measured: 'Mark' })).rejects.toThrow(/no direction/);
  await expect(size({ measured: 'Nothing' })).rejects.toThrow(/called “Nothing”/);
  await expect(size({ measured: '' })).rejects.toThrow(/by which of the dimensions/);
  await expect(size({ measured: 'Edge', alongX: 'Edge' })).rejects.toThrow(/points up/);
  await expect(run({ up: 'measured', measured: 'Edge' })).rejects.toThrow(/called “Edge”/);
});
