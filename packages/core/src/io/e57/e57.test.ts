import { convertE57 } from 'web-e57';
import { fromAxisAngle, toQuaternion, transformPoints } from '../../math/index.js';
import { pack, packedFile } from '../../../test/e57-files.js';
import { spherePoints } from '../../../test/shapes.js';
import { columnsOf, ColumnReader, type Column } from './columns.js';
import { crc32c } from './crc32c.js';
import { parseE57Xml } from './nodes.js';
import { readE57 } from './read-e57.js';
import { writeE57 } from './write-e57.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const positions = spherePoints(3000, 80);
const colors = Uint8Array.from({ length: positions.length }, (_, i) => (31 * i) % 256);
const normals = positions.map((v) => v / 80);

/** Lines of x y z (metres) as an independent reader sees the file, poses applied. */
const otherReader = (file: Uint8Array): number[][] =>
  convertE57(file, 'XYZ')
    .trim()
    .split('\n')
    .map((l) =>
      l
        .trim()
        .split(/[\s,;]+/)
        .map(Number),
    )
    .filter((v) => v.length >= 3 && v.slice(0, 3).every(Number.isFinite));

describe('checksums', () => {
  test.each([
    // RFC 3720, appendix B.4: 32 bytes of zeros, of ones, counting up, counting down.
    [new Uint8Array(32), 0x8a9136aa],
    [new Uint8Array(32).fill(0xff), 0x62a8ab43],
    [Uint8Array.from({ length: 32 }, (_, i) => i), 0x46dd794e],
    [Uint8Array.from({ length: 32 }, (_, i) => 31 - i), 0x113fdb5c],
  ])('CRC-32C of %p', (bytes, crc) => {
    expect(crc32c(bytes)).toBe(crc);
  });
});

describe('written files', () => {
  const pose = fromAxisAngle([0.6, 0, 0.8], 1.1);
  pose[12] = 120;
  pose[13] = -45.5;

  test('come back: points within the rounding of a 32-bit float, colours, normals, names, poses', () => {
    const file = writeE57([
      { name: 'front & side', cloud: { positions, colors, normals }, pieceFromScan: pose },
      { name: 'back', cloud: { positions: positions.subarray(0, 300) } },
    ]);
    const [front, back] = readE57(file);
    expect([front.name, back.name]).toEqual(['front & side', 'back']);
    for (let i = 0; i < positions.length; i++) {
      expect(Math.abs(front.positions[i] - positions[i])).toBeLessThanOrEqual(80 * 2 ** -23);
      expect(Math.abs(front.normals![i] - normals[i])).toBeLessThan(1e-7);
    }
    expect(front.colors).toEqual(colors);
    expect(back.colors).toBeUndefined();
    front.pieceFromScan!.forEach((v, i) => expect(v).toBeCloseTo(pose[i], 9));
    expect(back.pieceFromScan).toBeUndefined();
    // Written again, the file is the same.
    expect(writeE57([{ name: 'a', cloud: { positions } }])).toEqual(writeE57([{ name: 'a', cloud: { positions } }]));
  });

  test('an independent reader finds the same points in the same places', () => {
    const seen = otherReader(writeE57([{ name: 'a', cloud: { positions, colors }, pieceFromScan: pose }]));
    const placed = transformPoints(pose, positions);
    expect(seen).toHaveLength(positions.length / 3);
    seen.forEach((v, i) => {
      for (let k = 0; k < 3; k++) expect(Math.abs(1000 * v[k] - placed[3 * i + k])).toBeLessThan(0.002);
    });
  });

  test('rotations of every kind survive as quaternions', () => {
    for (const axis of [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
      [0.36, 0.48, 0.8],
    ] as [number, number, number][]) {
      for (const angle of [0, 0.3, 2, Math.PI, -3]) {
        const m = fromAxisAngle(axis, angle);
        const [w, x, y, z] = toQuaternion(m);
        expect(Math.abs(w - Math.abs(Math.cos(angle / 2)))).toBeLessThan(1e-12);
        // About the axis, with the sign that makes w positive.
        const s = Math.sin(angle / 2) * Math.sign(Math.cos(angle / 2) || 1);
        [x, y, z].forEach((v, k) =>
          expect(Math.min(Math.abs(v - s * axis[k]), w < 1e-9 ? Math.abs(v + s * axis[k]) : 1)).toBeLessThan(1e-9),
        );
      }
    }
  });
});

describe('packed whole numbers', () => {
  const n = 200;
  const raw = [0, 1, 2].map((k) => Array.from({ length: n }, (_, i) => BigInt((i * (97 + k) + k) % 100_001)));
  const field = (axis: string): string =>
    `<cartesian${axis} type="ScaledInteger" minimum="-50000" maximum="50000" scale="1e-5" offset="0.25"/>`;
  const fields = ['X', 'Y', 'Z'].map(field).join('');
  const streams = raw.map((v) => pack(v, 17));
  const file = packedFile(fields, streams, n, 101);

  test('come out as minimum, scale and offset say', () => {
    const [scan] = readE57(file);
    const wanted = (k: number, i: number): number => 1000 * ((Number(raw[k][i]) - 50_000) * 1e-5 + 0.25);
    for (let i = 0; i < n; i++)
      for (let k = 0; k < 3; k++) expect(Math.abs(scan.positions[3 * i + k] - wanted(k, i))).toBeLessThan(1e-4);
  });

  test('a field that is always the same takes no bits', () => {
    const same = '<intensity type="Integer" minimum="7" maximum="7"/>';
    const [scan] = readE57(packedFile(fields + same, [...streams, []], n, 101));
    expect(scan.positions).toEqual(readE57(file)[0].positions);
    expect(scan.colors!.every((c) => c === 128)).toBe(true);
  });

  test('an independent reader unpacks the same', () => {
    const [scan] = readE57(file);
    const seen = otherReader(file);
    expect(seen).toHaveLength(n);
    seen.forEach((v, i) => {
      for (let k = 0; k < 3; k++) expect(Math.abs(1000 * v[k] - scan.positions[3 * i + k])).toBeLessThan(0.002);
    });
  });

  test.each([1, 7, 8, 13, 31, 32, 33, 47, 52, 53, 64])('of %i bits', (bits) => {
    const top = (1n << BigInt(bits)) - 1n;
    const values = Array.from({ length: 50 }, (_, i) => (BigInt(i) * 0x9e3779b97f4a7c15n) & top);
    const wide = bits > 52 ? { wide: 0n } : {};
    const column: Column = { name: 'a', kind: 'integer', bits, minimum: 0, scale: 1, offset: 0, ...wide };
    const out: number[] = [];
    const reader = new ColumnReader(column, values.length, (i, v) => (out[i] = v));
    const stream = pack(values, bits);
    for (let at = 0; at < stream.length; at += 5) {
      const part = stream.slice(at, at + 5);
      reader.room(part.length).set(part);
      reader.unpack();
    }
    expect(out).toEqual(values.map(Number));
  });

  test('bounds give the number of bits', () => {
    const prototype = (a: string): string => `<e57Root><p type="Structure"><x type="Integer" ${a}/></p></e57Root>`;
    const bitsOf = (a: string): number => columnsOf(parseE57Xml(text(prototype(a))).children[0])[0].bits;
    expect(bitsOf('minimum="0" maximum="255"')).toBe(8);
    expect(bitsOf('minimum="0" maximum="256"')).toBe(9);
    expect(bitsOf('minimum="-3" maximum="-3"')).toBe(0);
    expect(bitsOf('')).toBe(64);
    expect(() => bitsOf('minimum="5" maximum="4"')).toThrow(/maximum below/);
  });
});

test('spherical coordinates and points marked invalid', () => {
  const single = (values: number[]): number[] => Array.from(new Uint8Array(Float32Array.from(values).buffer));
  const f = (name: string): string => `<${name} type="Float" precision="single"/>`;
  const file = packedFile(
    `${f('sphericalRange')}${f('sphericalAzimuth')}${f('sphericalElevation')}<sphericalInvalidState type="Integer" minimum="0" maximum="2"/>`,
    [single([2, 1, 5]), single([Math.PI / 2, 0, 0]), single([0, Math.PI / 6, 0]), pack([0n, 0n, 2n], 2)],
    3,
    8,
  );
  const [scan] = readE57(file);
  const wanted = [0, 2000, 0, 1000 * Math.cos(Math.PI / 6), 0, 500];
  expect(scan.positions).toHaveLength(6);
  scan.positions.forEach((v, i) => expect(v).toBeCloseTo(wanted[i], 3));
  expect(scan.notes.join()).toContain('1 points without valid coordinates');
});

describe('broken files are refused in words', () => {
  const whole = writeE57([{ name: 'a', cloud: { positions } }]);
  const changed = (at: number, value: number): Uint8Array => {
    const out = whole.slice();
    out[at] ^= value;
    return out;
  };

  test.each([
    ['cut off', whole.subarray(0, 20_000), /ends after 20000 of \d+ bytes/],
    ['a damaged page', changed(5000, 1), /Page 4 .* damaged/],
    ['another version', changed(8, 3), /version 2/],
    ['a lying place', changed(29, 255), /outside of it|damaged|e57Root|can't be read/],
    ['another kind', text('ASTM-E57'), /does not begin like one/],
  ])('%s', (_, file, why) => {
    expect(() => readE57(file)).toThrow(why);
  });

  test('hostile descriptions', () => {
    expect(() => parseE57Xml(text('<!DOCTYPE a [<!ENTITY b "c">]><e57Root/>'))).toThrow(/document type/);
    expect(() => parseE57Xml(text(`<e57Root>${'<a>'.repeat(5000)}`))).toThrow(/more than 64 levels/);
    expect(() => parseE57Xml(text(`<e57Root>${'<a>'.repeat(90)}${'</a>'.repeat(90)}</e57Root>`))).toThrow(
      /more than 64 levels/,
    );
    expect(() => parseE57Xml(text('<other/>'))).toThrow(/no e57Root/);
  });

  test('counts that the file has no room for', () => {
    const fields = ['X', 'Y', 'Z'].map((a) => `<cartesian${a} type="Float" precision="single"/>`).join('');
    expect(() => readE57(packedFile(fields, [[], [], []], 50_000_000, 0))).toThrow(/more than the file has room for/);
    expect(() => readE57(packedFile(fields, [[1], [1], [1]], 20, 1))).toThrow(/ends after 0 of 20 points/);
  });
});
