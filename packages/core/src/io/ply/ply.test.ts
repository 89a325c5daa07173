import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js';
import { createRandom } from '../../math/index.js';
import { meshOf, sphere, spherePoints } from '../../../test/shapes.js';
import { readPly, samplePly } from './read-ply.js';
import { writePly } from './write-ply.js';
import { readScanFile } from '../read-scan-files.js';

const mesh = { ...meshOf(sphere(10), 10, 2), colors: undefined as Uint8Array | undefined };
mesh.colors = Uint8Array.from({ length: mesh.positions.length }, (_, i) => (7 * i) % 256);
const invented = new Uint8Array(mesh.positions.length / 3).fill(1, 0, 10);
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const buffer = (b: Uint8Array): ArrayBuffer => b.slice().buffer as ArrayBuffer;

describe('PLY', () => {
  const content = { positions: mesh.positions, colors: mesh.colors, indices: mesh.indices, extra: { invented } };

  test.each(['binary_little_endian', 'ascii'] as const)('%s brings back what our files know of a surface', (format) => {
    const expected_error = Float32Array.from(invented, (v, i) => (v ? NaN : 0.001 * i));
    const back = readPly(writePly({ ...content, extra: { invented, expected_error } }, format));
    expect(back.invented).toEqual(invented);
    expect(back.expectedError!.map((e) => Number(e.toFixed(4)))).toEqual(
      expected_error.map((e) => Number(e.toFixed(4))),
    );
    // What goes with points that are left out goes with them.
    const broken = content.positions.slice();
    broken[0] = NaN;
    const left = readPly(writePly({ ...content, positions: broken, extra: { invented, expected_error } }, format));
    expect([left.invented!.length, left.expectedError!.length]).toEqual([invented.length - 1, invented.length - 1]);
    expect(left.invented).toEqual(invented.subarray(1));
  });

  test.each(['binary_little_endian', 'ascii'] as const)(
    '%s comes back as written, and three reads it alike',
    (format) => {
      const bytes = writePly(content, format);
      const back = readPly(bytes);
      expect(back.positions).toEqual(mesh.positions);
      expect(back.colors).toEqual(mesh.colors);
      expect(back.indices).toEqual(mesh.indices);
      const other = new PLYLoader().parse(buffer(bytes));
      expect(Array.from(other.getAttribute('position').array)).toEqual(Array.from(mesh.positions));
      expect(Array.from(other.getIndex()!.array)).toEqual(Array.from(mesh.indices));
    },
  );

  test('properties of one float come between those of bytes, as three reads them', () => {
    const expected_error = Float32Array.from(invented, (_, i) => 0.001 * i);
    const bytes = writePly({ ...content, extra: { invented, expected_error } });
    expect(new TextDecoder().decode(bytes.slice(0, 400))).toContain('property float expected_error');
    expect(readPly(bytes).indices).toEqual(mesh.indices);
    const loader = new PLYLoader();
    loader.setCustomPropertyNameMapping({ error: ['expected_error'], invented: ['invented'] });
    const other = loader.parse(buffer(bytes));
    expect(Float32Array.from(other.getAttribute('error').array)).toEqual(expected_error);
    expect(Array.from(other.getAttribute('invented').array)).toEqual(Array.from(invented));
  });

  test('big-endian files, quads and unknown properties are read', () => {
    const head =
      'ply\nformat binary_big_endian 1.0\nelement vertex 4\nproperty double x\nproperty float64 y\nproperty double z\nproperty ushort quality\nelement face 1\nproperty list uint8 int32 vertex_index\nproperty uchar flag\nend_header\n';
    const out = new Uint8Array(head.length + 4 * 26 + 18);
    out.set(text(head));
    const view = new DataView(out.buffer);
    let at = head.length;
    for (const p of [
      [0, 0, 0],
      [1, 0, 0],
      [1, 1, 0],
      [0, 1, 0.5],
    ]) {
      for (const v of p) {
        view.setFloat64(at, v);
        at += 8;
      }
      at += 2;
    }
    out[at++] = 4;
    for (let i = 0; i < 4; i++, at += 4) view.setInt32(at, i);
    const r = readPly(out);
    expect(Array.from(r.positions.slice(9))).toEqual([0, 1, 0.5]);
    expect(Array.from(r.indices!)).toEqual([0, 1, 2, 0, 2, 3]);
  });

  test('a range grid gives the normals of its points, edges that jump in depth left out', () => {
    // Eight by six cells of a plane that rises to the right, the last two columns far behind, one cell empty.
    const [columns, rows] = [8, 6];
    const points: string[] = [];
    const cells: string[] = [];
    for (let r = 0; r < rows; r++) {
      for (let c = 0; c < columns; c++) {
        if (c === 3 && r === 2) cells.push('0');
        else {
          cells.push(`1 ${points.length}`);
          points.push(`${c} ${r} ${0.5 * c - (c > 5 ? 100 : 0)}`);
        }
      }
    }
    const file = text(
      `ply\nformat ascii 1.0\nobj_info num_cols ${columns}\nobj_info num_rows ${rows}\nelement vertex ${points.length}\n` +
        'property float x\nproperty float y\nproperty float z\n' +
        `element range_grid ${cells.length}\nproperty list uchar int vertex_indices\nend_header\n${points.join('\n')}\n${cells.join('\n')}\n`,
    );
    const r = readPly(file);
    expect(r.positions).toHaveLength(3 * 47);
    expect(r.indices).toBeUndefined();
    // The plane's own normal, towards +Z, on both sides of the jump.
    for (let i = 0; i < 47; i++) {
      expect(r.normals![3 * i]).toBeCloseTo(-0.5 / Math.hypot(0.5, 1), 5);
      expect(r.normals![3 * i + 2]).toBeCloseTo(1 / Math.hypot(0.5, 1), 5);
    }
    expect(r.notes.join()).toContain('8×6');
  });

  test('an even part of the points, for a look', () => {
    const positions = spherePoints(5000, 30);
    const part = samplePly(writePly({ positions, colors: new Uint8Array(positions.length).fill(7) }), 1200)!;
    expect(part.positions).toHaveLength(3 * 1000);
    for (let i = 0; i < 1000; i++) expect(part.positions[3 * i]).toBe(positions[3 * 5 * i]);
    expect(part.colors!.every((c) => c === 7)).toBe(true);
    // A file larger than the window it is read through.
    const large = spherePoints(200_000, 30);
    const few = samplePly(writePly({ positions: large }), 100)!;
    for (let i = 0; i < 100; i++) expect(few.positions[3 * i + 2]).toBe(large[3 * 2000 * i + 2]);
    expect(samplePly(writePly({ positions }, 'ascii'), 100)).toBeUndefined();
  });

  test('brightness stands in for colours', () => {
    const rows = Array.from({ length: 101 }, (_, i) => `${i} 0 0 ${i / 100}`).join('\n');
    const r = readPly(
      text(
        `ply\nformat ascii 1.0\nelement vertex 101\nproperty float x\nproperty float y\nproperty float z\nproperty float intensity\nend_header\n${rows}\n`,
      ),
    );
    expect([r.colors![0], r.colors![3 * 100 + 2]]).toEqual([0, 255]);
    expect(Math.abs(r.colors![3 * 50] - 128)).toBeLessThanOrEqual(2);
  });

  test('broken files are refused with what is wrong', () => {
    const whole = writePly(content);
    expect(() => readPly(whole.subarray(0, whole.length - 500))).toThrow(/cut off/);
    expect(() => readPly(whole.subarray(0, 60))).toThrow(/header is incomplete/);
    expect(() =>
      readPly(text('ply\nformat ascii 1.0\nelement vertex 999999999999\nproperty float x\nend_header\n')),
    ).toThrow(/at most/);
    expect(() =>
      readPly(text('ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n1 2\n')),
    ).toThrow(/coordinate "z"/);
    expect(() =>
      readPly(
        text(
          'ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 tree\n',
        ),
      ),
    ).toThrow(/"tree"/);
  });

  test('points that are no numbers are left out and counted', () => {
    const r = readPly(
      text(
        'ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\nnan nan nan\n4 5 6\n',
      ),
    );
    expect(Array.from(r.positions)).toEqual([1, 2, 3, 4, 5, 6]);
    expect(r.notes[0]).toMatch(/1 points without valid coordinates/);
    expect(() =>
      readPly(
        text(
          'ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\nnan 0 0\n',
        ),
      ),
    ).toThrow(/None of the file's 1 points/);
  });

  test('cutting a file anywhere never crashes and never gives points silently', () => {
    const whole = writePly({ positions: spherePoints(50, 3) });
    for (let n = 0; n < whole.length; n += 7) expect(() => readScanFile(whole.subarray(0, n), 'a.ply')).toThrow();
  });
});

describe('clouds come back as written', () => {
  const random = createRandom(5);
  const count = 3000;
  const positions = Float32Array.from({ length: 3 * count }, () => 800 * (random() - 0.5));
  const normals = Float32Array.from({ length: 3 * count }, (_, i) => [0.6, 0, -0.8][i % 3]);
  const colors = Uint8Array.from({ length: 3 * count }, () => 256 * random());
  test('PLY, bit by bit', () => {
    const r = readScanFile(writePly({ positions, normals, colors }), 'a.ply');
    expect(r.positions).toEqual(positions);
    expect(r.normals).toEqual(normals);
    expect(r.colors).toEqual(colors);
  });
});
