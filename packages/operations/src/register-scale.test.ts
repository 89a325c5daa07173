import { invertRigid, fromAxisAngle, multiply, rotationAngle, transformPoints, type Vec3 } from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import { camerasAround, viewingDirections } from '@amber-knit/core/pictures';
import { createRunContext } from '@amber-knit/core/runtime';
import type { Placement, Scan } from '@amber-knit/core/geometry';
import { transformPoint } from '@amber-knit/core/math';
import { lumps, meshOf } from '../../core/test/shapes.js';
import { paramFields, parseParams } from './params.js';
import { registerScale, RegisterScaleParams } from './register-scale.js';

const body = meshOf(lumps, 48, 1.5);
const directions = viewingDirections('all', 10, 0);

/** What a scanner measures of the body from some directions. */
function scanOf(name: string, from: number[]): Scan {
  const points: number[] = [];
  const viewpoints: Vec3[] = [];
  for (const { camera, meshFromSensor } of camerasAround(
    body,
    from.map((k) => directions[k]),
    70,
  )) {
    viewpoints.push(transformPoint(meshFromSensor, 0, 0, 0));
    rasterizeDepth(body, invertRigid(meshFromSensor), camera).depth.forEach((z, i) => {
      if (z === 0) return;
      const [u, v] = [i % 70, Math.floor(i / 70)];
      points.push(
        ...transformPoint(meshFromSensor, ((u - camera.cx) / camera.fx) * z, ((v - camera.cy) / camera.fy) * z, z),
      );
    });
  }
  return { name, cloud: { positions: Float32Array.from(points) }, viewpoints };
}
const turn = multiply(fromAxisAngle([0.6, 0, 0.8], 2.1), fromAxisAngle([0, 1, 0], -0.7));
const seen = scanOf('pictures', [1, 3, 4, 6, 8]);
/** The body in another frame, and in metres by a unit that nobody knows. */
const photo: Scan = {
  name: 'pictures',
  cloud: { positions: transformPoints(turn, seen.cloud.positions).map((v) => 0.031 * v) },
  viewpoints: seen.viewpoints!.map((v) => transformPoint(turn, ...v).map((c) => 0.031 * c) as Vec3),
};
const ground = [scanOf('front', [0, 2]), scanOf('back', [5, 7])];
const placements: Placement[] = ground.map(({ name }) => ({
  name,
  state: 'registered',
  pieceFromScan: fromAxisAngle([0, 0, 1], 0),
}));
const run = (scans: Scan[], names: string[], places = placements, notes: string[] = []) =>
  registerScale.run(
    { scans, placements: places },
    parseParams(RegisterScaleParams, { scans: names }),
    createRunContext({ seed: 1, onNote: (n) => notes.push(n) }),
  );

test('a model from pictures gets its size and its place; the others stay, and the factor is told with how sure it is', async () => {
  const { outputs, figures } = await run([...ground, photo], ['pictures']);
  const place = outputs.placements.find((p) => p.name === 'pictures')!;
  expect(place.state).toBe('registered');
  expect((180 / Math.PI) * rotationAngle(multiply(place.pieceFromScan, turn))).toBeLessThan(0.5);
  const scan = outputs.scans.find((s) => s.name === 'pictures')!;
  const ratio = scan.cloud.positions[0] / photo.cloud.positions[0];
  expect(Math.abs(ratio * 0.031 - 1)).toBeLessThan(0.003);
  expect(figures.factors).toMatch(/^pictures × 32\.\d+ ± 0\.\d+ %$/);
  for (const p of placements) expect(outputs.placements.find((q) => q.name === p.name)).toEqual(p);
  expect(outputs.scans.slice(0, 2)).toEqual(ground);
});

test('the form does not say that none stands for all: here it stands for nothing', () => {
  expect(paramFields(RegisterScaleParams)[0].whenEmpty).toBe('choose some');
});

test('nothing chosen, nothing left with a size, a locked scan: refused with what to do', async () => {
  await expect(run([...ground, photo], [])).rejects.toThrow(/Choose the scans whose size is not known/);
  await expect(run([photo], ['pictures'])).rejects.toThrow(/No scan with true scale is left/);
  await expect(run([...ground, photo], ['nobody'])).rejects.toThrow(/no scan "nobody"/);
  const locked: Placement[] = [...placements, { ...placements[0], name: 'pictures', locked: true }];
  await expect(run([...ground, photo], ['pictures'], locked)).rejects.toThrow(/pictures is locked/);
});

test('what fits at no size changes nothing and says what else there is', async () => {
  // A flat plate fits a lumpy body nowhere.
  const plate: Scan = {
    name: 'plate',
    cloud: {
      positions: Float32Array.from(
        { length: 3 * 2500 },
        (_, i) => [Math.floor(i / 3) % 50, Math.floor(i / 150), 0][i % 3],
      ),
    },
    viewpoints: [[25, 25, 200]],
  };
  await expect(run([...ground, plate], ['plate'])).rejects.toThrow(
    /no size was found.*pick pairs of places by hand.*Nothing was changed/,
  );
});
