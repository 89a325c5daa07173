import { writeE57, writePly } from '@amber-knit/core/io';
import { fromAxisAngle } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { findOperation, runOperation, scansFromFile } from './index.js';

/** A wavy sheet before the origin, in the unit that the scale makes of millimetres. */
const sheet = (scale: number): Float32Array =>
  Float32Array.from({ length: 1200 }, (_, i) => {
    const [x, y] = [((i / 3) | 0) % 20, ((i / 60) | 0) % 20];
    return scale * [8 * x - 76, 8 * y - 76, 400 + 3 * Math.sin(x / 4)][i % 3];
  });
const ply = (scale: number): Uint8Array => writePly({ positions: sheet(scale) });
const auto = { unit: 'auto', viewpoint: 'auto' } as const;

test('a cloud before the origin was seen from there', async () => {
  const { scans } = await scansFromFile(ply(1), 'left side.ply', auto);
  expect(scans).toMatchObject([{ name: 'left side', viewpoints: [[0, 0, 0]] }]);
});

describe('units', () => {
  test('sizes that betray another unit are asked about, and accepted when the unit is said', async () => {
    const refused = scansFromFile(ply(0.001), 'a.ply', auto);
    await expect(refused).rejects.toThrow(/would be 0\.215 mm across. Which unit/);
    await expect(refused).rejects.toMatchObject({ code: 'unit-doubtful', facts: { across: expect.closeTo(0.215, 3) } });
    const { scans } = await scansFromFile(ply(0.001), 'a.ply', { unit: 'm', viewpoint: 'auto' });
    expect(scans[0].cloud.positions[2]).toBeCloseTo(400, 2);
  });

  test('the planned size tells inches and centimetres from millimetres', async () => {
    const inches = ply(1 / 25.4);
    await expect(scansFromFile(inches, 'a.ply', { ...auto, expected: 180 })).rejects.toThrow(
      /8\.47 mm across, and the plan says 180 mm/,
    );
    // Nothing planned, or no unit that fits better: taken as it is.
    await expect(scansFromFile(inches, 'a.ply', auto)).resolves.toBeDefined();
    await expect(scansFromFile(ply(1), 'a.ply', { ...auto, expected: 180 })).resolves.toBeDefined();
  });

  test('formats that fix their unit are not asked about', async () => {
    const e57 = writeE57([{ name: 'grain', cloud: { positions: sheet(0.001) } }]);
    const { scans } = await scansFromFile(e57, 'a.e57', { ...auto, expected: 180 });
    expect(scans[0].cloud.positions[2]).toBeCloseTo(0.4, 5);
  });
});

test('ten points are too few', async () => {
  const ten = writePly({ positions: new Float32Array(30).map((_, i) => 5 + i) });
  await expect(scansFromFile(ten, 'ten.ply', auto)).rejects.toThrow(/holds 10 points; at least 100/);
});

test('scans of one E57 file come in where it says, with normals towards their scanners', async () => {
  const pose = fromAxisAngle([0, 0, 1], 0.5);
  pose[12] = 250;
  const bytes = writeE57([
    { name: 'left', cloud: { positions: sheet(1) }, pieceFromScan: fromAxisAngle([0, 0, 1], 0) },
    { name: 'right', cloud: { positions: sheet(1) }, pieceFromScan: pose },
  ]);
  const file = { name: 'both.e57', mediaType: '', bytes };
  const notes: string[] = [];
  const ctx = createRunContext({ onNote: (n) => notes.push(n) });
  const { outputs, figures } = await runOperation(findOperation('capture.import'), { file }, {}, ctx);
  expect(outputs.scans!.map((s) => s.name)).toEqual(['left', 'right']);
  expect(outputs.placements!.map((p) => p.state)).toEqual(['placed', 'placed']);
  outputs.placements![1].pieceFromScan.forEach((v, i) => expect(v).toBeCloseTo(pose[i], 6));
  expect(figures).toMatchObject({ scans: 2, points: 800 });
  expect(notes.join(' ')).toContain('stand where the file says');
  const normals = outputs.scans![0].cloud.normals!;
  for (let i = 2; i < normals.length; i += 3) expect(normals[i]).toBeLessThan(-0.5);
  // A piece that has places keeps them: the new scans come in loose.
  const placements = [{ name: 'other', state: 'registered' as const, pieceFromScan: pose }];
  const later = await runOperation(findOperation('capture.import'), { file, placements }, {}, createRunContext());
  expect(later.outputs.placements).toBeUndefined();
});
