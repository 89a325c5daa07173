import { PCDLoader } from 'three/examples/jsm/loaders/PCDLoader.js';
import { createRandom } from '../../math/index.js';
import { meshOf, sphere } from '../../../test/shapes.js';
import { ByteCursor, allBytes, sourceOf } from '../byte-source.js';
import { LzfSource } from './lzf.js';
import { readPcd } from './read-pcd.js';
import { writePcd } from './write-pcd.js';
import { readScanFile } from '../read-scan-files.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const buffer = (b: Uint8Array): ArrayBuffer => b.slice().buffer as ArrayBuffer;
const mesh = meshOf(sphere(10), 10, 4);
const p = mesh.positions;
const n = p.length / 3;

const unpacked = (packed: number[], size: number): Uint8Array =>
  allBytes(new LzfSource(new ByteCursor(Uint8Array.from(packed)), packed.length, size));

/** Packs greedily with references as far back as the format allows. */
function packLzf(bytes: Uint8Array): Uint8Array {
  const out: number[] = [];
  const seen = new Map<number, number>();
  let literals: number[] = [];
  const flush = (): void => {
    if (literals.length > 0) out.push(literals.length - 1, ...literals);
    literals = [];
  };
  for (let i = 0; i < bytes.length;) {
    const key = (bytes[i] << 16) | (bytes[i + 1] << 8) | bytes[i + 2];
    const from = seen.get(key);
    seen.set(key, i);
    let run = 0;
    if (from !== undefined && i - from <= 8192)
      while (run < 264 && i + run < bytes.length && bytes[from + run] === bytes[i + run]) run++;
    if (run < 3) {
      literals.push(bytes[i++]);
      if (literals.length === 32) flush();
      continue;
    }
    flush();
    const back = i - from! - 1;
    if (run < 9) out.push(((run - 2) << 5) | (back >> 8), back & 255);
    else out.push((7 << 5) | (back >> 8), run - 9, back & 255);
    i += run;
  }
  flush();
  return Uint8Array.from(out);
}

describe('PCD', () => {
  const colors = Uint8Array.from({ length: 3 * n }, (_, i) => (37 * i) % 256);
  const head = (data: string): string =>
    `# .PCD v0.7 - Point Cloud Data\nVERSION 0.7\nFIELDS x y z rgb label\nSIZE 4 4 4 4 2\nTYPE F F F U U\nCOUNT 1 1 1 1 1\nWIDTH ${n}\nHEIGHT 1\nVIEWPOINT 0 0 0 1 0 0 0\nPOINTS ${n}\nDATA ${data}\n`;
  const rgb = (i: number): number => (colors[3 * i] << 16) | (colors[3 * i + 1] << 8) | colors[3 * i + 2];
  const join = (...parts: Uint8Array[]): Uint8Array => Uint8Array.from(parts.flatMap((b) => Array.from(b)));

  const ascii = text(
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
  const binary = join(text(head('binary')), new Uint8Array(rows.buffer));
  /** LZF of literals only, the plainest valid stream. */
  const literals = (b: Uint8Array): Uint8Array => {
    const out: number[] = [];
    for (let i = 0; i < b.length; i += 32) out.push(Math.min(32, b.length - i) - 1, ...b.subarray(i, i + 32));
    return Uint8Array.from(out);
  };
  const packed = literals(new Uint8Array(columns.buffer));
  const sizes = new Uint8Array(Uint32Array.of(packed.length, 18 * n).buffer);
  const compressed = join(text(head('binary_compressed')), sizes, packed);

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
    const r = unpacked([2, 1, 2, 3, (5 << 5) | 0, 2, (7 << 5) | 0, 11, 0], 30);
    expect(Array.from(r)).toEqual([1, 2, 3, 1, 2, 3, 1, 2, 3, 1, ...Array<number>(20).fill(1)]);
  });

  test('a compressed file far larger than the window, read a window at a time', () => {
    const count = 200_000;
    const values = new Float32Array(3 * count);
    // Steps of a coarse grid: many repetitions, some of them far back.
    for (let i = 0; i < 3 * count; i++) values[i] = Math.round(40 * Math.sin(i / 977)) / 8 + Math.floor(i / count);
    const body = packLzf(new Uint8Array(values.buffer));
    const file = join(
      text(
        `VERSION 0.7\nFIELDS x y z\nSIZE 4 4 4\nTYPE F F F\nCOUNT 1 1 1\nWIDTH ${count}\nHEIGHT 1\nPOINTS ${count}\nDATA binary_compressed\n`,
      ),
      new Uint8Array(Uint32Array.of(body.length, 12 * count).buffer),
      body,
    );
    let most = 0;
    const source = {
      size: file.length,
      read: (at: number, into: Uint8Array): number => {
        most = Math.max(most, into.length);
        return sourceOf(file).read(at, into);
      },
    };
    const r = readPcd(source);
    expect(body.length).toBeLessThan(values.byteLength / 2);
    expect(most).toBeLessThanOrEqual(1 << 20);
    expect(r.positions).toEqual(
      Float32Array.from(new PCDLoader().parse(buffer(file)).geometry.getAttribute('position').array),
    );
    for (let i = 0; i < count; i += 777) expect(r.positions[3 * i + 2]).toBe(values[2 * count + i]);
  });

  test('normals, and colours in the bits of a float', () => {
    const float = new Float32Array(Uint32Array.of(0x00102030).buffer)[0];
    const r = readPcd(
      text(
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
    ['a lying count', text(head('binary').replaceAll(`${n}`, '4000000000')), /at most/],
    ['no fields', text('VERSION 0.7\nFIELDS a b\nPOINTS 1\nDATA ascii\n1 2\n'), /no fields x, y and z/],
    ['no end of head', text('VERSION 0.7\nFIELDS x y z\n'), /does not end with/],
    ['an unknown kind', text(head('zipped')), /not known/],
    ['impossible sizes', text(head('binary').replace('SIZE 4 4 4 4 2', 'SIZE 4 4 3 4 2')), /impossible size/],
  ])('%s is refused in words', (_, file, why) => {
    expect(() => readPcd(file)).toThrow(why);
  });

  test('a damaged compressed part is refused', () => {
    expect(() => unpacked([31, 1, 2], 32)).toThrow(/damaged/);
    expect(() => unpacked([(1 << 5) | 3, 9], 3)).toThrow(/damaged/);
    expect(() => unpacked([0, 5], 2)).toThrow(/damaged/);
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
});
