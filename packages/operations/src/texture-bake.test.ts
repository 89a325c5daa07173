import { unzipSync } from 'fflate';
import { decode } from 'fast-png';
import { TorusKnotGeometry } from 'three';
import { validateBytes } from 'gltf-validator';
import type { LightModel, TriangleMesh } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import { weldVertices } from '@amber-knit/core/mesh';
import { decodeMesh, encodeMesh } from '@amber-knit/core/stored';
import { checkUpright, CheckUprightParams } from './check-upright.js';
import { deliverExport, DeliverExportParams } from './deliver-export.js';
import { deliverWeb, DeliverWebParams } from './deliver-web.js';
import { parseParams } from './params.js';
import { textureBake, TextureBakeParams } from './texture-bake.js';

const ctx = createRunContext();
const geometry = new TorusKnotGeometry(30, 8, 200, 40);
const mesh: TriangleMesh = weldVertices({
  positions: Float32Array.from(geometry.getAttribute('position').array),
  indices: Uint32Array.from(geometry.getIndex()!.array),
});
mesh.invented = Uint8Array.from({ length: mesh.positions.length / 3 }, (_, v) => (mesh.positions[3 * v] > 20 ? 1 : 0));

let light: LightModel;
let figures: Awaited<ReturnType<typeof textureBake.run>>['figures'];
beforeAll(async () => {
  const params = parseParams(TextureBakeParams, { triangles: 3000, mapSize: 512 });
  const r = await textureBake.run({ mesh }, params, ctx);
  light = r.outputs.light;
  figures = r.figures;
});

test('the light model has the triangles asked for and shows the whole surface’s normals', () => {
  expect(figures.triangles).toBeLessThanOrEqual(3000);
  expect(figures.normalsOff).toBeLessThan((4 * Math.PI) / 180);
  expect(figures.failedRatio).toBeLessThan(0.003);
  expect(light.maps.map((m) => m.kind)).toEqual([
    'normal',
    'object-normal',
    'displacement',
    'occlusion',
    'curvature',
    'invented',
    'failed',
  ]);
});

test('it is stored with all its maps and comes back as it was', () => {
  const read = decodeMesh(encodeMesh(light)) as LightModel;
  expect(read.maps).toEqual(light.maps);
  expect(read.failed).toEqual(light.failed);
  expect(read.cornerTangents).toEqual(light.cornerTangents);
  expect(read.texture.data).toEqual(light.texture.data);
});

test('as OBJ it brings every map, and says what their numbers stand for', async () => {
  const params = parseParams(DeliverExportParams, { format: 'obj', surface: 'light', name: 'knot', unit: 'cm' });
  const { outputs } = await deliverExport.run({ mesh, light }, params, ctx);
  const files = unzipSync(outputs.file.bytes);
  const legend = JSON.parse(new TextDecoder().decode(files['maps.json'])) as {
    file: string;
    bits: number;
    lowest?: number;
    highest?: number;
  }[];
  expect(legend.map((l) => l.file).every((f) => files[f])).toBe(true);
  const heights = legend.find((l) => l.file === 'knot_displacement.png')!;
  const png = decode(files[heights.file]);
  expect([png.depth, heights.bits, png.channels, png.width]).toEqual([16, 16, 1, 512]);
  const stored = light.maps.find((m) => m.kind === 'displacement')!;
  expect(png.data).toEqual(stored.data);
  expect(heights.highest).toBeCloseTo(figures.height!, 9);
  // The file is in centimetres: so are the heights that its material tells.
  const mtl = new TextDecoder().decode(files['knot.mtl']);
  const [, low, span] = /disp -mm (\S+) (\S+) knot_displacement.png/.exec(mtl)!.map(Number);
  expect(low + span).toBeCloseTo(figures.height! / 10, 9);
  expect(mtl).toContain('norm knot_normal.png');
});

test('as GLB it is valid glTF 2.0, plain and packed small', async () => {
  const whole = await deliverExport.run(
    { mesh, light },
    parseParams(DeliverExportParams, { format: 'glb', surface: 'light' }),
    ctx,
  );
  const small = await deliverWeb.run(
    { mesh, light },
    parseParams(DeliverWebParams, { surface: 'light', megabytes: 0.3 }),
    ctx,
  );
  expect(small.outputs.file.bytes.length).toBeLessThanOrEqual(300_000);
  for (const { outputs } of [whole, small]) {
    const { issues } = await validateBytes(outputs.file.bytes);
    expect(issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
  }
});

test('a light model that is not there is asked for', async () => {
  const params = parseParams(DeliverExportParams, { surface: 'light' });
  await expect(deliverExport.run({ mesh }, params, ctx)).rejects.toThrow('Make one in Texture');
});

test('set upright it turns along, and with it normals in the frame of the piece', async () => {
  const params = parseParams(CheckUprightParams, { up: 'angles', turnX: 90, ground: false, origin: 'keep' });
  const turned = (await checkUpright.run({ mesh, light }, params, ctx)).outputs.light;
  // A quarter turn about X: y goes to z, z to −y.
  const before = light.maps.find((m) => m.kind === 'object-normal')!.data;
  const after = turned.maps.find((m) => m.kind === 'object-normal')!.data;
  for (let i = 0; i < before.length; i += 3 * 997)
    expect([after[i], after[i + 1], after[i + 2]]).toEqual([before[i], 255 - before[i + 2], before[i + 1]]);
  expect(turned.maps.find((m) => m.kind === 'normal')!.data).toEqual(light.maps.find((m) => m.kind === 'normal')!.data);
  expect(turned.cornerTangents[2]).toBeCloseTo(light.cornerTangents[1], 5);
});
