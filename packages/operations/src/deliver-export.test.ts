import { boundsOf, triangleCount, type TexturedMesh, type TriangleMesh } from '@amber-knit/core/geometry';
import { readScanFiles } from '@amber-knit/core/io';
import { createRunContext } from '@amber-knit/core/runtime';
import { BoxGeometry, TorusKnotGeometry, type BufferGeometry } from 'three';
import { deliverExport, DeliverExportParams } from './deliver-export.js';
import { parseParams } from './params.js';
import { assertReadsBack } from './read-back.js';
import { UNITS, type Unit } from './units.js';
import { CARRIES_MAP, writeMeshFile, type MeshFormat } from './write-mesh-file.js';

function meshOf(geometry: BufferGeometry): TriangleMesh {
  return {
    positions: Float32Array.from(geometry.getAttribute('position').array, (v, i) => v + [40, -7, 120][i % 3]),
    indices: Uint32Array.from(geometry.getIndex()!.array),
    colors: Uint8Array.from(geometry.getAttribute('position').array, (_, i) => (31 * i) % 256),
  };
}

const knot = meshOf(new TorusKnotGeometry(30, 8, 64, 12));
const model: TexturedMesh = {
  ...knot,
  cornerUvs: Float32Array.from({ length: 2 * knot.indices.length }, (_, i) => (i % 7) / 8),
  texture: { width: 4, height: 4, data: Uint8Array.from({ length: 48 }, (_, i) => 5 * i) },
};
const FORMATS: MeshFormat[] = ['glb', '3mf', 'ply', 'stl', 'obj', 'off'];
const run = (values: object, inputs: { mesh: TriangleMesh; model?: TexturedMesh }) =>
  deliverExport.run(inputs, parseParams(DeliverExportParams, values), createRunContext({ seed: 1 }));

test.each(FORMATS.flatMap((f) => (Object.keys(UNITS) as Unit[]).map((u) => [f, u] as const)))(
  '%s in %s is written in true size and read back before it is offered',
  async (format, unit) => {
    for (const mapped of [false, true]) {
      const { outputs, figures } = await run(
        { format, unit, name: 'knot' },
        { mesh: knot, ...(mapped ? { model } : {}) },
      );
      expect(figures.triangles).toBe(triangleCount(knot));
      expect(figures.textured).toBe(mapped && CARRIES_MAP.includes(format));
      const b = boundsOf(knot.positions);
      expect(figures.size).toBeCloseTo(Math.max(...b.max.map((v, k) => v - b.min[k])), 3);
      const [read] = await readScanFiles(outputs.file.bytes, outputs.file.name);
      const factor = read.inMillimetres ? 1 : UNITS[unit];
      expect(boundsOf(read.positions).max[2] * factor).toBeCloseTo(b.max[2], 3);
    }
  },
);

test('a file that is not what it should be is found out', async () => {
  const box: TriangleMesh = meshOf(new BoxGeometry(10, 20, 30));
  const file = await writeMeshFile(box, { name: 'box', format: 'ply', unit: 'mm' });
  await expect(assertReadsBack(file, box, 'mm')).resolves.toMatchObject({ triangles: 12, closed: true });
  await expect(assertReadsBack(file, { ...box, indices: box.indices.slice(3) }, 'mm')).rejects.toThrow(
    /12 triangles instead of 11/,
  );
  await expect(assertReadsBack(file, box, 'cm')).rejects.toThrow(/lies off/);
  const open = { ...box, indices: Uint32Array.from([...box.indices.slice(3), 0, 1, 2]) };
  const opened = await writeMeshFile(open, { name: 'box', format: 'stl', unit: 'mm' });
  await expect(assertReadsBack(opened, box, 'mm')).rejects.toThrow(/not closed, the surface is/);
});
