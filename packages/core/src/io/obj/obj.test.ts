import { unzipSync } from 'fflate';
import { decode as decodePng } from 'fast-png';
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js';
import type { Mesh } from 'three';
import { meshOf, sphere } from '../../../test/shapes.js';
import { readObj } from './read-obj.js';
import { writeObj, writeObjZip } from './write-obj.js';

const mesh = { ...meshOf(sphere(10), 10, 2), colors: undefined as Uint8Array | undefined };
mesh.colors = Uint8Array.from({ length: mesh.positions.length }, (_, i) => (7 * i) % 256);
const text = (s: string): Uint8Array => new TextEncoder().encode(s);

describe('OBJ', () => {
  test('comes back as written, and three reads it alike', () => {
    const { obj } = writeObj(mesh, 'ball');
    const back = readObj(obj);
    expect(back.indices).toEqual(mesh.indices);
    expect(back.colors).toEqual(mesh.colors);
    const other = new OBJLoader().parse(new TextDecoder().decode(obj));
    expect((other.children[0] as Mesh).geometry.getAttribute('position').count).toBe(mesh.indices.length);
  });

  test('polygons and negative references are read, faults named by line', () => {
    const r = readObj(text('mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf -4 -3 -2 -1\n'));
    expect(Array.from(r.indices!)).toEqual([0, 1, 2, 0, 2, 3]);
    expect(r.companions).toEqual(['a.mtl']);
    expect(() => readObj(text('v 0 0 0\nf a b c\n'))).toThrow(/Line 2/);
    expect(() => readObj(text('hello\n'))).toThrow(/not an OBJ file/);
  });
});

describe('OBJ with its map', () => {
  test('a zip of OBJ, MTL and PNG that name one another; three reads the same corners and places in the map', () => {
    const corners = mesh.indices.length;
    const cornerUvs = Float32Array.from({ length: 2 * corners }, (_, i) => ((i * 37) % 101) / 101);
    const data = Uint8Array.from({ length: 48 }, (_, i) => 5 * i);
    const files = unzipSync(writeObjZip({ ...mesh, cornerUvs, texture: { width: 4, height: 4, data } }, 'a ball'));
    expect(Object.keys(files).sort()).toEqual(['a_ball.mtl', 'a_ball.obj', 'a_ball.png']);
    const obj = new TextDecoder().decode(files['a_ball.obj']);
    expect(obj).toContain('mtllib a_ball.mtl\n');
    expect(new TextDecoder().decode(files['a_ball.mtl'])).toContain('map_Kd a_ball.png\n');
    expect(Uint8Array.from(decodePng(files['a_ball.png']).data)).toEqual(data);
    const g = (new OBJLoader().parse(obj).children[0] as Mesh).geometry;
    const uv = g.getAttribute('uv').array;
    for (let i = 0; i < 2 * corners; i++) expect(Math.abs(uv[i] - cornerUvs[i])).toBeLessThan(1e-6);
    expect(g.getAttribute('position').count).toBe(corners);
  });
});
