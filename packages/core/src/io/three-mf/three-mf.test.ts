import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { JSDOM } from 'jsdom';
import type { BufferGeometry, Mesh } from 'three';
import { ThreeMFLoader } from 'three/examples/jsm/loaders/3MFLoader.js';
import { meshOf, sphere } from '../../../test/shapes.js';
import type { TexturedMesh } from '../../geometry/triangle-mesh.js';
import { readOff } from '../off/read-off.js';
import { writeOff } from '../off/write-off.js';
import { readScanFiles } from '../read-scan-files.js';
import { write3mf } from './write-3mf.js';

const ball = meshOf(sphere(10), 10, 4);
const n = ball.positions.length / 3;
const colors = Uint8Array.from({ length: 3 * n }, (_, i) => (37 * i) % 256);
const open = async (bytes: Uint8Array) => (await readScanFiles(bytes, 'ball.3mf'))[0];
/** A package with another model. */
const packed = (model: string): Uint8Array =>
  zipSync({ '[Content_Types].xml': strToU8('<Types/>'), '3D/3dmodel.model': strToU8(model) });

test('a mesh comes back in true size, whatever its unit, with the colours of its vertices', async () => {
  const mm = await open(write3mf({ ...ball, colors }, 'ball'));
  expect(mm.positions).toEqual(ball.positions);
  expect(mm.indices).toEqual(ball.indices);
  expect(mm.colors).toEqual(colors);
  expect(mm.inMillimetres).toBe(true);
  const inches = await open(write3mf({ ...ball, positions: ball.positions.map((v) => v / 25.4) }, 'ball', 'in'));
  inches.positions.forEach((v, i) => expect(Math.abs(v - ball.positions[i])).toBeLessThan(1e-5));
  expect(inches.colors).toBeUndefined();
});

test('the reader of three.js finds the same triangles and colours', () => {
  globalThis.DOMParser = new JSDOM('').window.DOMParser;
  const files = unzipSync(write3mf({ ...ball, colors }, 'ball'));
  // jsdom does not find elements with a prefix by their local names, as browsers do.
  files['3D/3dmodel.model'] = strToU8(strFromU8(files['3D/3dmodel.model']).replaceAll(/<(\/?)m:/g, '<$1'));
  const bytes = zipSync(files);
  const group = new ThreeMFLoader().parse(bytes.buffer as ArrayBuffer);
  const meshes: Mesh[] = [];
  group.traverse((o) => void ('isMesh' in o && meshes.push(o as Mesh)));
  expect(meshes).toHaveLength(1);
  const geometry = meshes[0].geometry as BufferGeometry;
  const [p, c] = [geometry.getAttribute('position'), geometry.getAttribute('color')];
  const corners = geometry.getIndex()?.array ?? Uint32Array.from({ length: p.count }, (_, i) => i);
  expect(corners).toHaveLength(ball.indices.length);
  corners.forEach((v, i) => {
    const at = 3 * ball.indices[i];
    for (let k = 0; k < 3; k++) expect(p.array[3 * v + k]).toBe(ball.positions[at + k]);
    // It works with linear light: the brightest channel stays the brightest.
    expect(c.getX(v) > 0.99).toBe(colors[at] > 253);
  });
});

test('a package holds what the standard asks for, and no triangle without area by its numbers', () => {
  const indices = Uint32Array.from([...ball.indices, 3, 3, 4]);
  const textured: TexturedMesh = {
    ...ball,
    indices,
    cornerUvs: new Float32Array(2 * indices.length).fill(0.25),
    texture: { width: 2, height: 1, data: Uint8Array.of(255, 0, 0, 0, 0, 255) },
  };
  const files = unzipSync(write3mf(textured, 'A <ball> & more'));
  expect(Object.keys(files).sort()).toEqual([
    '3D/3dmodel.model',
    '3D/Textures/map.png',
    '3D/_rels/3dmodel.model.rels',
    '[Content_Types].xml',
    '_rels/.rels',
  ]);
  const model = strFromU8(files['3D/3dmodel.model']);
  expect(model).toContain('unit="millimeter"');
  expect(model).toContain('A &lt;ball&gt; &amp; more');
  expect(model.match(/<triangle /g)).toHaveLength(ball.indices.length / 3);
  expect(model.match(/<m:tex2coord /g)).toHaveLength(indices.length);
});

test('objects are put together from parts and put where they are built', async () => {
  const corner =
    '<mesh><vertices><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/></vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh>';
  const file = await open(
    packed(
      `<model unit="centimeter"><resources><object id="a">${corner}</object><object id="b"><components><component objectid="a" transform="0 1 0 -1 0 0 0 0 1 5 0 0"/><component objectid="a"/></components></object></resources><build><item objectid="b" transform="1 0 0 0 1 0 0 0 1 0 0 2"/></build></model>`,
    ),
  );
  // The first part is turned a quarter about z and shifted, then all is raised by 2 cm.
  expect([...file.positions]).toEqual([50, 10, 20, 40, 0, 20, 50, 0, 30, 10, 0, 20, 0, 10, 20, 0, 0, 30]);
  expect([...file.indices!]).toEqual([0, 1, 2, 3, 4, 5]);
});

test.each([
  ['ends early', '<model><resources><object id="1"><mesh><vertices><vertex x="0"', /can't be read/],
  [
    'has no number',
    '<model><resources><object id="1"><mesh><vertices><vertex x="a" y="0" z="0"/></vertices></mesh></object></resources></model>',
    /as its x/,
  ],
  ['names what is not there', '<model><resources/><build><item objectid="7"/></build></model>', /does not hold/],
  ['is in leagues', '<model unit="league"/>', /league/],
  ['holds nothing', '<model/>', /no points/],
  ['declares a document type', '<!DOCTYPE model [<!ENTITY a "b">]><model/>', /document type/],
  [
    'goes round in circles',
    '<model><resources><object id="1"><components><component objectid="1"/></components></object></resources><build><item objectid="1"/></build></model>',
    /without end/,
  ],
  [
    'has a stray corner',
    '<model><resources><object id="1"><mesh><vertices><vertex x="0" y="0" z="0"/></vertices><triangles><triangle v1="0" v2="1" v3="9"/></triangles></mesh></object></resources></model>',
    /names vertex 1/,
  ],
])('a package that %s is refused by its fault', async (_, model, fault) => {
  await expect(open(packed(model))).rejects.toThrow(fault);
});

test('OFF comes back as written, with its colours', () => {
  const back = readOff(writeOff({ ...ball, colors }));
  expect(back.positions).toEqual(ball.positions);
  expect(back.indices).toEqual(ball.indices);
  expect(back.colors).toEqual(colors);
  expect(readOff(writeOff(ball)).colors).toBeUndefined();
});
