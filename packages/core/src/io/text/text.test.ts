import { XYZLoader } from 'three/examples/jsm/loaders/XYZLoader.js';
import { createRandom } from '../../math/index.js';
import { meshOf, sphere } from '../../../test/shapes.js';
import { readScanFile } from '../read-scan-files.js';
import { readTextCloud } from './read-text-cloud.js';
import { guessTextLayout, parseColumns } from './text-layout.js';
import { writeXyz } from './write-xyz.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const mesh = meshOf(sphere(10), 10, 4);
const p = mesh.positions;
const n = p.length / 3;

describe('points as text', () => {
  test('XYZ is read as three reads it', () => {
    const lines = Array.from({ length: n }, (_, i) => `${p[3 * i]} ${p[3 * i + 1]} ${p[3 * i + 2]}`).join('\n');
    const r = readScanFile(text(lines), 'ball.xyz');
    // Its types ask for a callback that it never calls.
    const other = new XYZLoader().parse(lines, () => undefined) as unknown as {
      getAttribute(n: string): { array: Float32Array };
    };
    expect(Array.from(r.positions)).toEqual(Array.from(other.getAttribute('position').array));
  });

  test.each([
    ['little end first', (i: number) => [i & 255, i >> 8]],
    ['big end first', (i: number) => [i >> 8, i & 255]],
  ])('UTF-16 is read as UTF-8 is: %s', (_, halves) => {
    const lines = 'x;y;z;Größe Ω\r\n1,5;2;3;0\r\n4;5;6,25;0\r\n-7;8;9;1\r\n';
    const wide = Uint8Array.from([0xfeff, ...Array.from(lines, (c) => c.charCodeAt(0))].flatMap(halves));
    const r = readScanFile(wide, 'from-a-spreadsheet.csv');
    expect(Array.from(r.positions)).toEqual([1.5, 2, 3, 4, 5, 6.25, -7, 8, 9]);
    expect(Array.from(r.positions)).toEqual(Array.from(readScanFile(text(lines), 'the-same.csv').positions));
    expect(() => readScanFile(wide.subarray(0, 2), 'empty.csv')).toThrow(/three numbers/);
  });

  test.each([
    ['1.5 2.5 3.5 200 100 50\n4 5 6 1 2 3\n7 8 9 0 0 0\n', 'x y z r g b'],
    ['1 2 3 0 0 1\n4 5 6 0 1 0\n7 8 9 1 0 0\n', 'x y z nx ny nz'],
    ['1 2 3 0.6 0 0.8 12 13 14\n1 2 4 0 1 0 12 13 14\n2 3 4 0 0 1 9 9 9\n', 'x y z nx ny nz r g b'],
    ['3\n1 2 3 -1200 10 20 30\n4 5 6 900 1 2 3\n7 8 9 4 5 6 7\n', 'x y z - r g b'],
    ['3\n1 2 3 120 10 20 30\n4 5 6 90 1 2 3\n7 8 9 4 5 6 7\n', 'x y z - r g b'],
    ['"X";"Y";"Z";"Red";"Green";"Blue"\n1,5;2,5;3,5;255;0;0\n2,5;2,5;3,5;255;0;0\n', 'x y z r g b'],
    ['quality;east;north;up\n0,5;1;2;3\n0,5;3;2;1\n', '- x y z'],
    ['id,z,y,x\n7,3,2,1\n8,3,2,1\n', '- z y x'],
    ['// x y z quality\n1 2 3 0.25\n2 3 4 0.5\n', 'x y z -'],
    ['1\t2\t3\n4\t5\t6\n', 'x y z'],
  ])('%j: columns are %s', (content, columns) => {
    expect(guessTextLayout(content).columns.join(' ')).toBe(columns);
    expect(readTextCloud(text(content)).notes[0]).toBe(`Columns taken as: ${columns}.`);
  });

  test('numbers, colours and order come out right', () => {
    const csv = readTextCloud(text('"X";"Y";"Z";"Red";"Green";"Blue"\n1,5;2,5;3,5;255;0;7\n2,5;-2,5e1;3,5;1;2;3\n'));
    expect(Array.from(csv.positions)).toEqual([1.5, 2.5, 3.5, 2.5, -25, 3.5]);
    expect(Array.from(csv.colors!)).toEqual([255, 0, 7, 1, 2, 3]);
    const swapped = readTextCloud(text('id,z,y,x\n7,3,2,1\n8,6,5,4\n'));
    expect(Array.from(swapped.positions)).toEqual([1, 2, 3, 4, 5, 6]);
    expect(parseColumns('')).toBeUndefined();
    expect(() => parseColumns('x y w')).toThrow(/"w" is no kind of column/);
    const told = readTextCloud(text('1 2 3 4\n5 6 7 8\n'), parseColumns('- X, y z'));
    expect(Array.from(told.positions)).toEqual([2, 3, 4, 6, 7, 8]);
  });

  test('bad lines are counted, files without points refused', () => {
    const r = readTextCloud(text('1 2 3\nnan nan nan\n4 5 6\noops\n'));
    expect(r.positions).toHaveLength(6);
    expect(r.notes.join()).toContain('2 lines');
    expect(() => readTextCloud(text('Dear reader,\nthis is a letter.\n'))).toThrow(/Is this a list of points/);
    expect(() => readTextCloud(text('1 2 3\n'), ['x', 'y', '-'])).toThrow(/must name x, y and z/);
    expect(() => readTextCloud(new Uint8Array(1000))).toThrow(/three numbers/);
  });
});

describe('clouds come back as written', () => {
  const random = createRandom(5);
  const count = 3000;
  const positions = Float32Array.from({ length: 3 * count }, () => 800 * (random() - 0.5));
  const normals = Float32Array.from({ length: 3 * count }, (_, i) => [0.6, 0, -0.8][i % 3]);
  const colors = Uint8Array.from({ length: 3 * count }, () => 256 * random());
  const cloud = { positions, normals, colors };

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
});
