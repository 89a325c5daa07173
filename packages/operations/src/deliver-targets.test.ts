import { boundsOf, triangleCount, type TexturedMesh, type TriangleMesh } from '@amber-knit/core/geometry';
import { readScanFiles } from '@amber-knit/core/io';
import { weldVertices } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import { BoxGeometry, SphereGeometry, TorusKnotGeometry, type BufferGeometry } from 'three';
import { validateBytes } from 'gltf-validator';
import { deliverPrint, DeliverPrintParams } from './deliver-print.js';
import { deliverWeb, DeliverWebParams } from './deliver-web.js';
import { parseParams } from './params.js';

function meshOf(geometry: BufferGeometry, lift = 30): TriangleMesh {
  const positions = Float32Array.from(geometry.getAttribute('position').array, (v) => Math.round(v * 1e5) / 1e5);
  const mesh = weldVertices({ positions, indices: Uint32Array.from(geometry.getIndex()!.array) });
  return { ...mesh, positions: mesh.positions.map((v, i) => (i % 3 === 2 ? v + lift : v)) };
}
const context = (notes: string[] = []) => createRunContext({ seed: 1, onNote: (n) => notes.push(n) });
const print = (mesh: TriangleMesh, values: object = {}, notes: string[] = []) =>
  deliverPrint.run({ mesh }, parseParams(DeliverPrintParams, values), context(notes));
const web = (values: object, inputs: { mesh: TriangleMesh; model?: TexturedMesh }) =>
  deliverWeb.run(inputs, parseParams(DeliverWebParams, values), context());

test('a sound surface is put on the ground and written in millimetres; thin walls are told', async () => {
  const plate = meshOf(new BoxGeometry(60, 40, 0.8, 30, 20, 1));
  const notes: string[] = [];
  const { outputs, figures } = await print(plate, { wall: 1.2 }, notes);
  const [read] = await readScanFiles(outputs.file.bytes, outputs.file.name);
  expect(read.positions.reduce((least, v, i) => (i % 3 === 2 && v < least ? v : least), Infinity)).toBeCloseTo(0, 5);
  expect(figures.thinnest).toBeCloseTo(0.8, 2);
  expect(figures.thin).toBeGreaterThan(0.5);
  expect(notes[0]).toMatch(/thinner than 1.20 mm, the thinnest 0.800 mm/);
  const thick = await print(meshOf(new BoxGeometry(60, 40, 20, 30, 20, 10)), { format: 'stl' });
  expect([thick.figures.thin, thick.outputs.file.name]).toEqual([0, 'mesh.stl']);
});

test('what can’t be printed is refused with each fault and what to do', async () => {
  const box = meshOf(new BoxGeometry(60, 40, 20, 4, 4, 4));
  await expect(print({ ...box, indices: box.indices.slice(6) })).rejects.toThrow(/1 hole is open.*the form Mend/);
  await expect(print({ ...box, indices: box.indices.toReversed() })).rejects.toThrow(/inside out/);
  const apart: TriangleMesh = {
    positions: Float32Array.from([...box.positions, ...box.positions.map((v) => v + 200)]),
    indices: Uint32Array.from([...box.indices, ...box.indices.map((v) => v + box.positions.length / 3)]),
  };
  await expect(print(apart)).rejects.toThrow(/in 2 pieces/);
  const through = { ...apart, positions: Float32Array.from([...box.positions, ...box.positions.map((v) => v + 7)]) };
  await expect(print(through)).rejects.toThrow(/pairs of triangles cross/);
});

const knot = meshOf(new TorusKnotGeometry(30, 8, 120, 20));
/** A map of noise: the worst that JPEG can be given. */
const model: TexturedMesh = {
  ...knot,
  cornerUvs: Float32Array.from({ length: 2 * knot.indices.length }, (_, i) => ((i * 37) % 1000) / 1000),
  texture: {
    width: 1024,
    height: 1024,
    data: Uint8Array.from({ length: 3 * 1024 * 1024 }, (_, i) => (i * 2654435761) % 251),
  },
};

test('a GLB for pages stays below its size, keeps its triangles and its true size, and is valid', async () => {
  const { outputs, figures } = await web({ megabytes: 0.2, name: 'knot' }, { mesh: knot, model });
  expect(outputs.file.bytes.length).toBeLessThanOrEqual(200_000);
  expect(figures.triangles).toBe(triangleCount(knot));
  expect([figures.mapSize, outputs.file.bytes.length === figures.bytes]).toEqual([expect.any(Number), true]);
  expect(figures.mapSize).toBeLessThan(512);
  const { issues } = await validateBytes(outputs.file.bytes);
  expect(issues.numErrors).toBe(0);
  const [read] = await readScanFiles(outputs.file.bytes, 'knot.glb');
  const [is, was] = [boundsOf(read.positions), boundsOf(knot.positions)];
  for (let k = 0; k < 3; k++) expect(is.max[k]).toBeCloseTo(was.max[k], 2);
});

test('a surface without a map loses triangles until it fits, its colours kept', async () => {
  const ball = { ...meshOf(new SphereGeometry(40, 120, 80)) };
  const painted = {
    ...ball,
    colors: Uint8Array.from({ length: ball.positions.length }, (_, i) => (i % 3 === 0 ? 200 : 40)),
  };
  const { outputs, figures } = await web({ megabytes: 0.1 }, { mesh: { ...painted } });
  expect(outputs.file.bytes.length).toBeLessThanOrEqual(100_000);
  expect(figures.triangles).toBeGreaterThan(1000);
  const [read] = await readScanFiles(outputs.file.bytes, 'mesh.glb');
  expect(Math.abs(read.colors![0] - 200)).toBeLessThan(4);
});

test('what can’t be met is said with what to do', async () => {
  const dense = { ...model, ...meshOf(new TorusKnotGeometry(30, 8, 700, 60)) };
  const cornerUvs = new Float32Array(2 * dense.indices.length).map(() => 0.3);
  const inputs = { mesh: dense, model: { ...dense, cornerUvs } };
  await expect(web({ megabytes: 0.1 }, inputs)).rejects.toThrow(/triangles take the room/);
});
