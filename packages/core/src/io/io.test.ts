import { unzipSync } from 'fflate';
import { decode as decodePng } from 'fast-png';
import { validateBytes } from 'gltf-validator';
import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js';
import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js';
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js';
import type { Mesh } from 'three';
import type { TexturedMesh } from '../geometry/index.js';
import { meshOf, sphere, spherePoints } from '../../test/shapes.js';
import {
  decodeDepthPng,
  encodeDepthPng,
  readIntrinsics,
  readObj,
  readPly,
  readRgbdFolder,
  readScanFile,
  readStl,
  readTrajectory,
  writeGlb,
  writeObj,
  writeObjZip,
  writePly,
  writeStl,
} from './index.js';
import {
  decodeCloud,
  decodeFrames,
  decodeMesh,
  encodeCloud,
  encodeFrames,
  encodeMesh,
  progressiveOrder,
} from '../stored/index.js';

const mesh = { ...meshOf(sphere(10), 10, 2), colors: undefined as Uint8Array | undefined };
mesh.colors = Uint8Array.from({ length: mesh.positions.length }, (_, i) => (7 * i) % 256);
const invented = new Uint8Array(mesh.positions.length / 3).fill(1, 0, 10);
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const buffer = (b: Uint8Array): ArrayBuffer => b.slice().buffer as ArrayBuffer;

describe('PLY', () => {
  const content = { positions: mesh.positions, colors: mesh.colors, indices: mesh.indices, extra: { invented } };

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

describe('GLB', () => {
  const corners = mesh.indices.length;
  const textured: TexturedMesh = {
    ...mesh,
    invented,
    cornerUvs: Float32Array.from({ length: 2 * corners }, (_, i) => ((i * 37) % 100) / 100),
    texture: { width: 8, height: 8, data: new Uint8Array(192).fill(120) },
  };

  test.each([
    ['with a map', textured],
    ['with point colours', { ...mesh, invented }],
  ])('%s is valid glTF in metres', async (_name, model) => {
    const bytes = await writeGlb(model, 'ball');
    const report = await validateBytes(bytes);
    expect(report.issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    const json = JSON.parse(
      new TextDecoder().decode(
        bytes.subarray(20, 20 + new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true)),
      ),
    ) as {
      accessors: { max?: number[] }[];
      meshes: { primitives: { attributes: Record<string, number> }[] }[];
    };
    const attributes = json.meshes[0].primitives[0].attributes;
    expect(json.accessors[attributes.POSITION].max![0]).toBeCloseTo(0.01, 4);
    expect(attributes._INVENTED).toBeDefined();
  });
});

describe('bundles', () => {
  test('a cloud keeps its points, in an order whose beginning covers it evenly', () => {
    const positions = spherePoints(5000, 50);
    const { cloud, backdrop } = decodeCloud(
      encodeCloud({ positions, colors: new Uint8Array(15000).fill(3) }, spherePoints(20, 5)),
    );
    const key = (p: Float32Array): string[] =>
      Array.from({ length: p.length / 3 }, (_, i) => p.slice(3 * i, 3 * i + 3).join()).sort();
    expect(key(cloud.positions)).toEqual(key(positions));
    expect(backdrop!.length).toBe(60);
    const first = progressiveOrder(positions).slice(0, 80);
    const octants = new Set(Array.from(first, (i) => [0, 1, 2].map((k) => (positions[3 * i + k] > 0 ? 1 : 0)).join()));
    expect(octants.size).toBe(8);
  });

  test('a mesh and frames come back', () => {
    const back = decodeMesh(encodeMesh({ ...mesh, invented }, mesh.indices.subarray(0, 30)));
    expect(back.positions).toEqual(mesh.positions);
    expect(back.indices).toEqual(mesh.indices);
    expect(back.invented).toEqual(invented);
    const camera = { width: 4, height: 2, fx: 3, fy: 3, cx: 1.5, cy: 0.5 };
    const frames = decodeFrames(
      encodeFrames([
        {
          name: 'a',
          camera,
          depth: Float32Array.from([0, 100, 200, 300, 0, 0, 350.123, 1]),
          scanFromSensor: new Float64Array(16),
          color: { camera, image: { width: 4, height: 2, data: new Uint8Array(24).fill(9) } },
        },
      ]),
    );
    expect(frames[0].depth[6]).toBeCloseTo(350.123, 1);
    expect(frames[0].depth[0]).toBe(0);
    expect(frames[0].color!.image.data[5]).toBe(9);
  });

  test('foreign and cut bytes are refused', () => {
    expect(() => decodeCloud(text('no bundle at all'))).toThrow(/not the bytes of a bundle/);
    const whole = encodeCloud({ positions: spherePoints(100, 5) });
    expect(() => decodeCloud(whole.subarray(0, whole.length - 10))).toThrow(/incomplete/);
  });
});

describe('RGB-D folders', () => {
  const camera = { width: 4, height: 2, fx: 3, fy: 3, cx: 1.5, cy: 0.5 };
  const depth = Float32Array.from([0, 100, 200, 300, 0, 0, 350.2, 1]);
  const folder = (): Map<string, Uint8Array> =>
    new Map([
      ['intrinsics.json', text(JSON.stringify({ ...camera, depthUnitsPerMm: 10 }))],
      ['trajectory.txt', text('# time tx ty tz qx qy qz qw\n0.0 0.1 0 0 0 0 0 1\n')],
      ['depth/000.png', encodeDepthPng(depth, camera, 10)],
    ]);

  test('depth, scale and pose are read', () => {
    const [frame] = readRgbdFolder(folder());
    expect(frame.depth[6]).toBeCloseTo(350.2, 1);
    expect(frame.scanFromSensor[12]).toBeCloseTo(100, 6);
  });

  test('what is missing or wrong is named', () => {
    const f = folder();
    f.delete('trajectory.txt');
    expect(() => readRgbdFolder(f)).toThrow(/trajectory.txt is missing/);
    expect(() => readTrajectory('1 2 3\n')).toThrow(/line 1/);
    expect(() => readTrajectory('0 0 0 0 0 0 0 3\n')).toThrow(/quaternion has length 3/);
    expect(() => readIntrinsics('{"width":4}')).toThrow(/height is missing/);
    expect(() => decodeDepthPng(text('nonsense'), { ...camera, depthUnitsPerMm: 1 }, 'x.png')).toThrow(
      /x.png can't be read/,
    );
  });
});

test('empty files, archives and unknown kinds are refused by name', () => {
  expect(() => readScanFile(new Uint8Array(0), 'a.ply')).toThrow(/a.ply is empty/);
  expect(() => readScanFile(Uint8Array.from([0x50, 0x4b, 3, 4, 0]), 'a.zip')).toThrow(/archive/);
  expect(() => readScanFile(text('whatever'), 'a.doc')).toThrow(/no known kind/);
});
