import { BoxGeometry } from 'three';
import { boundsOf } from '@amber-knit/core/geometry';
import { writePly } from '@amber-knit/core/io';
import { createRunContext, GeometryError } from '@amber-knit/core/runtime';
import { mendBringIn } from './mend-bring-in.js';

const notes: string[] = [];
const ctx = createRunContext({ onNote: (n) => void notes.push(n) });

/** A box of three's, 24 vertices, in a PLY file; `side` in the file's unit. */
function boxFile(side: number, change: (indices: Uint32Array) => Uint32Array = (i) => i): Uint8Array {
  const g = new BoxGeometry(side, side / 2, side / 4);
  return writePly({
    positions: Float32Array.from(g.getAttribute('position').array),
    indices: change(Uint32Array.from(g.index!.array)),
  });
}
const bringIn = (bytes: Uint8Array, params: object = {}) =>
  mendBringIn.run(
    { file: { name: 'box.ply', mediaType: 'application/octet-stream', bytes } },
    { unit: 'auto', expected: 0, ...params },
    ctx,
  );

test('a surface comes in joined, turned alike and looked through', async () => {
  const turned = boxFile(80, (i) => {
    [i[1], i[2]] = [i[2], i[1]];
    return i;
  });
  const { outputs, figures } = await bringIn(turned);
  expect(figures).toMatchObject({
    triangles: 12,
    size: '80.0 × 40.0 × 20.0',
    watertight: true,
    holes: 0,
    pieces: 1,
    knows: false,
  });
  expect(outputs.mesh!.positions.length).toBe(24);
  expect(notes.join()).toMatch(/16 vertices joined.*1 triangles turned over/);
  expect(mendBringIn.summarize(figures)).toBe('12 triangles brought in, 80.0 × 40.0 × 20.0 mm');
});

test('a hole and a unit are told; a doubtful unit is asked about', async () => {
  const open = await bringIn(boxFile(80, (i) => i.slice(6)));
  expect(open.figures).toMatchObject({ watertight: false, holes: 1 });
  const inches = await bringIn(boxFile(3), { unit: 'in' });
  expect(boundsOf(inches.outputs.mesh!.positions).max[0]).toBeCloseTo(1.5 * 25.4, 4);
  const doubt = await bringIn(boxFile(0.08)).catch((e: unknown) => e);
  expect(doubt).toBeInstanceOf(GeometryError);
  expect(doubt).toMatchObject({ code: 'unit-doubtful', facts: { across: expect.closeTo(0.0917, 3) as number } });
  await expect(bringIn(boxFile(8), { expected: 80 })).rejects.toThrow('the plan says 80 mm. Which unit');
});

test('points alone, nothing and half a file are refused by name', async () => {
  const points = writePly({ positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0), indices: new Uint32Array(0) });
  await expect(bringIn(points)).rejects.toThrow(/points without triangles|no triangles|holds no/);
  await expect(bringIn(new Uint8Array(0))).rejects.toThrow(GeometryError);
  await expect(bringIn(boxFile(80).subarray(0, 500))).rejects.toThrow(GeometryError);
});
