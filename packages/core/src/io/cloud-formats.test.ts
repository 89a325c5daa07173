import { Document, WebIO } from '@gltf-transform/core';
import { PCDLoader } from 'three/examples/jsm/loaders/PCDLoader.js';
import { XYZLoader } from 'three/examples/jsm/loaders/XYZLoader.js';
import { createRandom } from '../math/index.js';
import { meshOf, sphere } from '../../test/shapes.js';
import {
  guessTextLayout,
  parseColumns,
  readAnyScanFile,
  readGlb,
  readOff,
  readPcd,
  readScanFile,
  readTextCloud,
  writeGlb,
  writePcd,
  writePly,
  writeXyz,
} from './index.js';
import { unpackLzf } from './lzf.js';

const bytes = (s: string): Uint8Array => new TextEncoder().encode(s);
const buffer = (b: Uint8Array): ArrayBuffer => b.slice().buffer as ArrayBuffer;
const mesh = meshOf(sphere(10), 10, 4);
const p = mesh.positions;
const n = p.length / 3;

describe('OFF', () => {
  test('points, polygons, colours of both kinds and comments', () => {
    const r = readOff(
      bytes(
        'COFF # a square\n4 1 0\n\n0 0 0 255 0 0\n10 0 0 0 255 0\n# between\n10 10 0 0 0 255\n0 10 0 9 9 9\n4 0 1 2 3 0.5 0.5 0.5\n',
      ),
    );
    expect(Array.from(r.indices!)).toEqual([0, 1, 2, 0, 2, 3]);
    expect(Array.from(r.colors!.slice(0, 6))).toEqual([255, 0, 0, 0, 255, 0]);
    const shares = readOff(bytes('COFF\n3 1 3\n0 0 0 0.5 0 1\n1 0 0 0.5 0 1\n0 1 0 0.5 0 1\n3 0 1 2\n'));
    expect(Array.from(shares.colors!.slice(0, 3))).toEqual([128, 0, 255]);
    const withNormals = readOff(bytes('NOFF 3 1 0\n0 0 0 0 0 1\n1 0 0 0 0 1\n0 1 0 0 0 1\n3 0 1 2\n'));
    expect(Array.from(withNormals.normals!)).toEqual([0, 0, 1, 0, 0, 1, 0, 0, 1]);
  });

  test('a whole mesh comes back as written', () => {
    const lines = [`OFF\n${n} ${mesh.indices.length / 3} 0`];
    for (let i = 0; i < n; i++) lines.push(`${p[3 * i]} ${p[3 * i + 1]} ${p[3 * i + 2]}`);
    for (let t = 0; t < mesh.indices.length; t += 3) lines.push(`3 ${mesh.indices.slice(t, t + 3).join(' ')}`);
    const r = readScanFile(bytes(lines.join('\n')), 'ball.off');
    expect(r.positions).toEqual(p);
    expect(r.indices).toEqual(mesh.indices);
  });

  test.each([
    ['OFF\n3 1 0\n0 0 0\n1 0 0\n', /ends before point 3 of 3/],
    ['OFF\n9999999999 1 0\n', /at most/],
    ['OFF BINARY\n3 1 0\n', /text/],
    ['4OFF\n1 0 0\n', /three-dimensional/],
    ['OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n5 0 1 2\n', /fewer points/],
    ['OFF\n1 0 0\n0 0\n', /2 coordinates/],
    ['nothing', /does not begin/],
  ])('%j is refused in words', (text, why) => {
    expect(() => readOff(bytes(text))).toThrow(why);
  });

  test('faces that point outside are left out and counted', () => {
    const r = readOff(bytes('OFF\n3 2 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n3 0 1 7\n'));
    expect(r.indices).toHaveLength(3);
    expect(r.notes.join()).toContain('1 triangles');
  });
});

describe('points as text', () => {
  test('XYZ is read as three reads it', () => {
    const text = Array.from({ length: n }, (_, i) => `${p[3 * i]} ${p[3 * i + 1]} ${p[3 * i + 2]}`).join('\n');
    const r = readScanFile(bytes(text), 'ball.xyz');
    // Its types ask for a callback that it never calls.
    const other = new XYZLoader().parse(text, () => undefined) as unknown as {
      getAttribute(n: string): { array: Float32Array };
    };
    expect(Array.from(r.positions)).toEqual(Array.from(other.getAttribute('position').array));
  });

  test.each([
    ['1.5 2.5 3.5 200 100 50\n4 5 6 1 2 3\n7 8 9 0 0 0\n', 'x y z r g b'],
    ['1 2 3 0 0 1\n4 5 6 0 1 0\n7 8 9 1 0 0\n', 'x y z nx ny nz'],
    ['1 2 3 0.6 0 0.8 12 13 14\n1 2 4 0 1 0 12 13 14\n2 3 4 0 0 1 9 9 9\n', 'x y z nx ny nz r g b'],
    ['3\n1 2 3 -1200 10 20 30\n4 5 6 900 1 2 3\n7 8 9 4 5 6 7\n', 'x y z - r g b'],
    ['3\n1 2 3 120 10 20 30\n4 5 6 90 1 2 3\n7 8 9 4 5 6 7\n', 'x y z - r g b'],
    ['"X";"Y";"Z";"Red";"Green";"Blue"\n1,5;2,5;3,5;255;0;0\n2,5;2,5;3,5;255;0;0\n', 'x y z r g b'],
    ['id,z,y,x\n7,3,2,1\n8,3,2,1\n', '- z y x'],
    ['// x y z quality\n1 2 3 0.25\n2 3 4 0.5\n', 'x y z -'],
    ['1\t2\t3\n4\t5\t6\n', 'x y z'],
  ])('%j: columns are %s', (text, columns) => {
    expect(guessTextLayout(text).columns.join(' ')).toBe(columns);
    expect(readTextCloud(bytes(text)).notes[0]).toBe(`Columns taken as: ${columns}.`);
  });

  test('numbers, colours and order come out right', () => {
    const csv = readTextCloud(bytes('"X";"Y";"Z";"Red";"Green";"Blue"\n1,5;2,5;3,5;255;0;7\n2,5;-2,5e1;3,5;1;2;3\n'));
    expect(Array.from(csv.positions)).toEqual([1.5, 2.5, 3.5, 2.5, -25, 3.5]);
    expect(Array.from(csv.colors!)).toEqual([255, 0, 7, 1, 2, 3]);
    const swapped = readTextCloud(bytes('id,z,y,x\n7,3,2,1\n8,6,5,4\n'));
    expect(Array.from(swapped.positions)).toEqual([1, 2, 3, 4, 5, 6]);
    expect(parseColumns('')).toBeUndefined();
    expect(() => parseColumns('x y w')).toThrow(/"w" is no kind of column/);
    const told = readTextCloud(bytes('1 2 3 4\n5 6 7 8\n'), parseColumns('- X, y z'));
    expect(Array.from(told.positions)).toEqual([2, 3, 4, 6, 7, 8]);
  });

  test('bad lines are counted, files without points refused', () => {
    const r = readTextCloud(bytes('1 2 3\nnan nan nan\n4 5 6\noops\n'));
    expect(r.positions).toHaveLength(6);
    expect(r.notes.join()).toContain('2 lines');
    expect(() => readTextCloud(bytes('Dear reader,\nthis is a letter.\n'))).toThrow(/Is this a list of points/);
    expect(() => readTextCloud(bytes('1 2 3\n'), ['x', 'y', '-'])).toThrow(/must name x, y and z/);
    expect(() => readTextCloud(new Uint8Array(1000))).toThrow(/three numbers/);
  });
});

describe('PCD', () => {
  const colors = Uint8Array.from({ length: 3 * n }, (_, i) => (37 * i) % 256);
  const head = (data: string): string =>
    `# .PCD v0.7 - Point Cloud Data\nVERSION 0.7\nFIELDS x y z rgb label\nSIZE 4 4 4 4 2\nTYPE F F F U U\nCOUNT 1 1 1 1 1\nWIDTH ${n}\nHEIGHT 1\nVIEWPOINT 0 0 0 1 0 0 0\nPOINTS ${n}\nDATA ${data}\n`;
  const rgb = (i: number): number => (colors[3 * i] << 16) | (colors[3 * i + 1] << 8) | colors[3 * i + 2];
  const join = (...parts: Uint8Array[]): Uint8Array => Uint8Array.from(parts.flatMap((b) => Array.from(b)));

  const ascii = bytes(
    head('ascii') +
      Array.from({ length: n }, (_, i) => `${p[3 * i]} ${p[3 * i + 1]} ${p[3 * i + 2]} ${rgb(i)} 7`).join('\n') +
      '\n',
  );
  const rows = new DataView(new ArrayBuffer(18 * n));
  const columns = new DataView(new ArrayBuffer(18 * n));
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < 3; k++) {
      rows.setFloat32(18 * i + 4 * k, p[3 * i + k], true);
      columns.setFloat32(4 * (k * n + i), p[3 * i + k], true);
    }
    rows.setUint32(18 * i + 12, rgb(i), true);
    columns.setUint32(4 * (3 * n + i), rgb(i), true);
  }
  const binary = join(bytes(head('binary')), new Uint8Array(rows.buffer));
  /** LZF of literals only, the plainest valid stream. */
  const literals = (b: Uint8Array): Uint8Array => {
    const out: number[] = [];
    for (let i = 0; i < b.length; i += 32) out.push(Math.min(32, b.length - i) - 1, ...b.subarray(i, i + 32));
    return Uint8Array.from(out);
  };
  const packed = literals(new Uint8Array(columns.buffer));
  const sizes = new Uint8Array(Uint32Array.of(packed.length, 18 * n).buffer);
  const compressed = join(bytes(head('binary_compressed')), sizes, packed);

  test.each([
    ['ascii', ascii],
    ['binary', binary],
    ['compressed', compressed],
  ])('%s: points and colours, and three finds the same points', (_, file) => {
    const r = readScanFile(file, 'ball.pcd');
    expect(r.positions).toEqual(p);
    expect(r.colors).toEqual(colors);
    const other = new PCDLoader().parse(buffer(file));
    expect(Array.from(other.geometry.getAttribute('position').array)).toEqual(Array.from(p));
  });

  test('LZF references reach back and may run into what they write', () => {
    // Three literals, then 7 bytes from 3 back, then a long run of the last byte.
    const r = unpackLzf(Uint8Array.from([2, 1, 2, 3, (5 << 5) | 0, 2, (7 << 5) | 0, 11, 0]), 30);
    expect(Array.from(r)).toEqual([1, 2, 3, 1, 2, 3, 1, 2, 3, 1, ...Array<number>(20).fill(1)]);
  });

  test('normals, and colours in the bits of a float', () => {
    const float = new Float32Array(Uint32Array.of(0x00102030).buffer)[0];
    const r = readPcd(
      bytes(
        `VERSION .7\nFIELDS x y z normal_x normal_y normal_z rgb\nSIZE 4 4 4 4 4 4 4\nTYPE F F F F F F F\nWIDTH 1\nHEIGHT 1\nPOINTS 1\nDATA ascii\n1 2 3 0 0 1 ${float}\n`,
      ),
    );
    expect(Array.from(r.normals!)).toEqual([0, 0, 1]);
    expect(Array.from(r.colors!)).toEqual([0x10, 0x20, 0x30]);
  });

  test.each([
    ['cut off', binary.subarray(0, binary.length - 20), /ends after \d+ of \d+ points/],
    ['cut off in compressed', compressed.subarray(0, compressed.length - 40), /cut off/],
    ['text cut off', ascii.subarray(0, ascii.length - 100), /ends after/],
    ['a lying count', bytes(head('binary').replaceAll(`${n}`, '4000000000')), /at most/],
    ['no fields', bytes('VERSION 0.7\nFIELDS a b\nPOINTS 1\nDATA ascii\n1 2\n'), /no fields x, y and z/],
    ['no end of head', bytes('VERSION 0.7\nFIELDS x y z\n'), /does not end with/],
    ['an unknown kind', bytes(head('zipped')), /not known/],
    ['impossible sizes', bytes(head('binary').replace('SIZE 4 4 4 4 2', 'SIZE 4 4 3 4 2')), /impossible size/],
  ])('%s is refused in words', (_, file, why) => {
    expect(() => readPcd(file)).toThrow(why);
  });

  test('a damaged compressed part is refused', () => {
    expect(() => unpackLzf(Uint8Array.from([31, 1, 2]), 32)).toThrow(/damaged/);
    expect(() => unpackLzf(Uint8Array.from([(1 << 5) | 3, 9]), 3)).toThrow(/damaged/);
    expect(() => unpackLzf(Uint8Array.from([0, 5]), 2)).toThrow(/damaged/);
  });
});

describe('GLB', () => {
  test('what is written comes back in millimetres with Z up', async () => {
    const colors = Uint8Array.from({ length: p.length }, (_, i) => (31 * i) % 256);
    const r = await readAnyScanFile(await writeGlb({ ...mesh, colors }, 'ball'), 'ball.glb');
    expect(r.positions).toHaveLength(p.length);
    for (let i = 0; i < p.length; i++) expect(Math.abs(r.positions[i] - p[i])).toBeLessThan(1e-5);
    expect(r.indices).toEqual(mesh.indices);
    expect(r.colors).toEqual(colors);
  });

  test('nodes are gone through, points and strips are taken', async () => {
    const doc = new Document();
    const buffer = doc.createBuffer();
    const array = (a: Float32Array<ArrayBuffer>) => doc.createAccessor().setType('VEC3').setArray(a).setBuffer(buffer);
    const square = array(Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0]));
    const strip = doc.createPrimitive().setMode(5).setAttribute('POSITION', square);
    const dots = doc.createPrimitive().setMode(0).setAttribute('POSITION', square);
    const child = doc
      .createNode()
      .setMesh(doc.createMesh().addPrimitive(strip).addPrimitive(dots))
      .setScale([0.01, 0.01, 0.01]);
    doc.createScene().addChild(doc.createNode().setTranslation([0, 2, 0]).addChild(child));
    const r = await readGlb(await new WebIO().writeBinary(doc));
    expect(r.positions).toHaveLength(24);
    expect(Array.from(r.positions.slice(0, 6), (v) => Math.round(v * 1000) / 1000 || 0)).toEqual([
      0, 0, 2000, 10, 0, 2000,
    ]);
    expect(Array.from(r.indices!)).toEqual([0, 1, 2, 2, 1, 3]);
  });

  test('cut, damaged and empty files are refused in words', async () => {
    const whole = await writeGlb(mesh, 'ball');
    await expect(readGlb(whole.slice(0, 500))).rejects.toThrow(/cut off/);
    const damaged = whole.slice();
    damaged.fill(0x7b, 20, 60);
    await expect(readGlb(damaged)).rejects.toThrow(/can't be read/);
    await expect(readGlb(await new WebIO().writeBinary(new Document()))).rejects.toThrow(/no points/);
  });
});

describe('clouds come back as written', () => {
  const random = createRandom(5);
  const count = 3000;
  const positions = Float32Array.from({ length: 3 * count }, () => 800 * (random() - 0.5));
  const normals = Float32Array.from({ length: 3 * count }, (_, i) => [0.6, 0, -0.8][i % 3]);
  const colors = Uint8Array.from({ length: 3 * count }, () => 256 * random());
  const cloud = { positions, normals, colors };

  test('PCD, bit by bit, alike for the reader of three.js', () => {
    const file = writePcd(cloud);
    const r = readPcd(file);
    expect(r.positions).toEqual(positions);
    expect(r.normals).toEqual(normals);
    expect(r.colors).toEqual(colors);
    const g = new PCDLoader().parse(buffer(file)).geometry;
    expect(Float32Array.from(g.getAttribute('position').array)).toEqual(positions);
    expect(Float32Array.from(g.getAttribute('normal').array)).toEqual(normals);
    // That reader takes colours into linear light.
    const back = Uint8Array.from(g.getAttribute('color').array, (v) =>
      Math.round(255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)),
    );
    expect(back).toEqual(colors);
    const bare = readPcd(writePcd({ positions }));
    expect(bare.positions).toEqual(positions);
    expect(bare.normals).toBeUndefined();
    expect(bare.colors).toBeUndefined();
  });

  test('XYZ text, within half of its last decimal, alike for the reader of three.js', () => {
    const file = writeXyz({ positions, colors });
    const r = readTextCloud(file);
    const far = (a: ArrayLike<number>): number => Math.max(...Array.from(positions, (v, i) => Math.abs(v - a[i])));
    // Half a unit of the fourth decimal, and the rounding of 32-bit floats below 512.
    expect(far(r.positions)).toBeLessThan(0.00005 + 512 * 2 ** -24);
    expect(r.colors).toEqual(colors);
    const other = new XYZLoader().parse(new TextDecoder().decode(file), () => undefined) as unknown as {
      getAttribute(name: string): { array: ArrayLike<number> };
    };
    expect(far(other.getAttribute('position').array)).toBeLessThan(0.00005 + 512 * 2 ** -24);
    const turned = readTextCloud(writeXyz(cloud));
    expect(Array.from(turned.normals!.subarray(0, 3), (v) => Math.round(1e4 * v) / 1e4)).toEqual([0.6, 0, -0.8]);
    expect(turned.colors).toEqual(colors);
  });

  test('PLY, bit by bit', () => {
    const r = readScanFile(writePly({ positions, normals, colors }), 'a.ply');
    expect(r.positions).toEqual(positions);
    expect(r.normals).toEqual(normals);
    expect(r.colors).toEqual(colors);
  });
});
