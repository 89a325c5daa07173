import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js';
import { meshOf, sphere } from '../../../test/shapes.js';
import { readStl, writeStl } from './stl.js';

const mesh = { ...meshOf(sphere(10), 10, 2), colors: undefined as Uint8Array | undefined };
mesh.colors = Uint8Array.from({ length: mesh.positions.length }, (_, i) => (7 * i) % 256);
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const buffer = (b: Uint8Array): ArrayBuffer => b.slice().buffer as ArrayBuffer;

describe('STL', () => {
  test('binary comes back as written, and three reads it alike', () => {
    const bytes = writeStl(mesh);
    const back = readStl(bytes);
    expect(back.indices!.length).toBe(mesh.indices.length);
    expect(back.positions.length).toBe(mesh.positions.length);
    const other = new STLLoader().parse(buffer(bytes));
    expect(other.getAttribute('position').count).toBe(mesh.indices.length);
  });

  test('text is read; other text and cut files are refused', () => {
    const facet = 'facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n';
    expect(Array.from(readStl(text(`solid a\n${facet}endsolid a\n`)).indices!)).toEqual([0, 1, 2]);
    expect(() => readStl(text(`solid a\n${facet}`))).toThrow(/cut off/);
    expect(() => readStl(text('Dear colleague, attached is the scan you asked for. '.repeat(5)))).toThrow(
      /not an STL file/,
    );
    expect(() => readStl(writeStl(mesh).subarray(0, 5000))).toThrow(/cut off/);
  });
});
