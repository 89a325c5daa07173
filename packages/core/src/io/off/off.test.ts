import { meshOf, sphere } from '../../../test/shapes.js';
import { readOff } from './read-off.js';
import { readScanFile } from '../read-scan-files.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const mesh = meshOf(sphere(10), 10, 4);
const p = mesh.positions;
const n = p.length / 3;

describe('OFF', () => {
  test('points, polygons, colours of both kinds and comments', () => {
    const r = readOff(
      text(
        'COFF # a square\n4 1 0\n\n0 0 0 255 0 0\n10 0 0 0 255 0\n# between\n10 10 0 0 0 255\n0 10 0 9 9 9\n4 0 1 2 3 0.5 0.5 0.5\n',
      ),
    );
    expect(Array.from(r.indices!)).toEqual([0, 1, 2, 0, 2, 3]);
    expect(Array.from(r.colors!.slice(0, 6))).toEqual([255, 0, 0, 0, 255, 0]);
    const shares = readOff(text('COFF\n3 1 3\n0 0 0 0.5 0 1\n1 0 0 0.5 0 1\n0 1 0 0.5 0 1\n3 0 1 2\n'));
    expect(Array.from(shares.colors!.slice(0, 3))).toEqual([128, 0, 255]);
    const withNormals = readOff(text('NOFF 3 1 0\n0 0 0 0 0 1\n1 0 0 0 0 1\n0 1 0 0 0 1\n3 0 1 2\n'));
    expect(Array.from(withNormals.normals!)).toEqual([0, 0, 1, 0, 0, 1, 0, 0, 1]);
  });

  test('a whole mesh comes back as written', () => {
    const lines = [`OFF\n${n} ${mesh.indices.length / 3} 0`];
    for (let i = 0; i < n; i++) lines.push(`${p[3 * i]} ${p[3 * i + 1]} ${p[3 * i + 2]}`);
    for (let t = 0; t < mesh.indices.length; t += 3) lines.push(`3 ${mesh.indices.slice(t, t + 3).join(' ')}`);
    const r = readScanFile(text(lines.join('\n')), 'ball.off');
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
  ])('%j is refused in words', (content, why) => {
    expect(() => readOff(text(content))).toThrow(why);
  });

  test('faces that point outside are left out and counted', () => {
    const r = readOff(text('OFF\n3 2 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n3 0 1 7\n'));
    expect(r.indices).toHaveLength(3);
    expect(r.notes.join()).toContain('1 triangles');
  });
});
