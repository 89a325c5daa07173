import { Document, WebIO, type GLTF } from '@gltf-transform/core';
import { EXTMeshoptCompression, KHRDracoMeshCompression } from '@gltf-transform/extensions';
import draco from 'draco3dgltf';
import { MeshoptEncoder } from 'meshoptimizer';
import { validateBytes } from 'gltf-validator';
import {
  vertexNormals,
  type BakedKind,
  type BakedMap,
  type LightModel,
  type TexturedMesh,
} from '../../geometry/index.js';
import { meshOf, sphere } from '../../../test/shapes.js';
import { sourceOf } from '../byte-source.js';
import { accessorValues } from './accessor-values.js';
import { readGltf } from './read-gltf.js';
import { writeGlb } from './write-glb.js';
import { readScanFiles } from '../read-scan-files.js';

const mesh = { ...meshOf(sphere(10), 10, 2), colors: undefined as Uint8Array | undefined };
mesh.colors = Uint8Array.from({ length: mesh.positions.length }, (_, i) => (7 * i) % 256);
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
/** A ball with all kinds of maps, whose tangents run along one direction. */
const lightModel = (textured: TexturedMesh): LightModel => {
  const normals = vertexNormals(textured);
  const cornerTangents = new Float32Array(4 * textured.indices.length);
  textured.indices.forEach((v, c) => {
    const [x, y] = normals.subarray(3 * v, 3 * v + 2);
    const l = Math.hypot(x, y);
    cornerTangents.set(l > 1e-3 ? [-y / l, x / l, 0, 1] : [1, 0, 0, 1], 4 * c);
  });
  const map = (kind: BakedKind, channels: 1 | 3): BakedMap => ({
    kind,
    width: 8,
    height: 8,
    channels,
    data: new Uint8Array(64 * channels).fill(128),
  });
  const maps = [map('normal', 3), map('occlusion', 1)];
  return { ...textured, normals, cornerTangents, maps, failed: [] };
};
const invented = new Uint8Array(mesh.positions.length / 3).fill(1, 0, 10);

describe('written GLB', () => {
  const corners = mesh.indices.length;
  const textured: TexturedMesh = {
    ...mesh,
    invented,
    cornerUvs: Float32Array.from({ length: 2 * corners }, (_, i) => ((i * 37) % 100) / 100),
    texture: { width: 8, height: 8, data: new Uint8Array(192).fill(120) },
  };

  test.each([
    ['with a map', textured],
    ['of a light model with its maps', lightModel(textured)],
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

  test('a light model brings normals, openness to light and tangents', async () => {
    const doc = await new WebIO().readBinary(await writeGlb(lightModel(textured), 'ball'));
    const [material] = doc.getRoot().listMaterials();
    expect(material.getNormalTexture()?.getName()).toBe('normal');
    // One map holds both: red the openness to light, green the roughness (glTF 2.0, 3.9.2).
    expect(material.getOcclusionTexture()).toBe(material.getMetallicRoughnessTexture());
    const [primitive] = doc.getRoot().listMeshes()[0].listPrimitives();
    const tangent = primitive.getAttribute('TANGENT')!;
    const normal = primitive.getAttribute('NORMAL')!;
    for (let i = 0; i < tangent.getCount(); i++) {
      const [x, y, z, w] = tangent.getElement(i, [] as number[]);
      expect(w).toBe(1);
      expect(Math.hypot(x, y, z)).toBeCloseTo(1, 5);
      const [nx, ny, nz] = normal.getElement(i, [] as number[]);
      expect(Math.abs(x * nx + y * ny + z * nz)).toBeLessThan(0.02);
    }
  });
});

describe('read GLB', () => {
  const p = mesh.positions;

  test('what is written comes back in millimetres with Z up', async () => {
    const colors = Uint8Array.from({ length: p.length }, (_, i) => (31 * i) % 256);
    const r = (await readScanFiles(await writeGlb({ ...mesh, colors }, 'ball'), 'ball.glb'))[0];
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
    const r = await readGltf(await new WebIO().writeBinary(doc));
    expect(r.positions).toHaveLength(24);
    expect(Array.from(r.positions.slice(0, 6), (v) => Math.round(v * 1000) / 1000 || 0)).toEqual([
      0, 0, 2000, 10, 0, 2000,
    ]);
    expect(Array.from(r.indices!)).toEqual([0, 1, 2, 2, 1, 3]);
  });

  test('cut, damaged and empty files are refused in words', async () => {
    const whole = await writeGlb(mesh, 'ball');
    await expect(readGltf(whole.slice(0, 500))).rejects.toThrow(/cut off/);
    const damaged = whole.slice();
    damaged.fill(0x7b, 20, 60);
    await expect(readGltf(damaged)).rejects.toThrow(/can’t be read/);
    await expect(readGltf(await new WebIO().writeBinary(new Document()))).rejects.toThrow(/no points/);
  });
});

describe('compressed glTF', () => {
  const p = mesh.positions;
  const document = (): Document => {
    const doc = new Document();
    const buffer = doc.createBuffer();
    const position = doc
      .createAccessor()
      .setType('VEC3')
      .setArray(p.map((v) => v / 1000) as Float32Array<ArrayBuffer>);
    const color = doc
      .createAccessor()
      .setType('VEC3')
      .setNormalized(true)
      .setArray(mesh.colors as Uint8Array<ArrayBuffer>);
    const index = doc
      .createAccessor()
      .setType('SCALAR')
      .setArray(mesh.indices as Uint32Array<ArrayBuffer>);
    for (const a of [position, color, index]) a.setBuffer(buffer);
    const primitive = doc.createPrimitive().setIndices(index).setAttribute('POSITION', position);
    doc
      .createScene()
      .addChild(doc.createNode().setMesh(doc.createMesh().addPrimitive(primitive.setAttribute('COLOR_0', color))));
    return doc;
  };
  /** Distance of each point to the nearest one wanted: compression may change their order. */
  const farthest = (got: Float32Array): number => {
    let worst = 0;
    for (let i = 0; i < got.length; i += 3) {
      let best = Infinity;
      // From metres with Y up to millimetres with Z up.
      for (let j = 0; j < p.length; j += 3)
        best = Math.min(best, Math.hypot(got[i] - p[j], got[i + 1] + p[j + 2], got[i + 2] - p[j + 1]));
      worst = Math.max(worst, best);
    }
    return worst;
  };

  /** Triangles with their smallest corner first. */
  const turned = (indices: Uint32Array): number[][] =>
    Array.from({ length: indices.length / 3 }, (_, t) => {
      const c = Array.from(indices.subarray(3 * t, 3 * t + 3));
      const first = c.indexOf(Math.min(...c));
      return [...c.slice(first), ...c.slice(0, first)];
    });

  test('by Draco, as its own encoder writes it', async () => {
    const io = new WebIO()
      .registerExtensions([KHRDracoMeshCompression])
      .registerDependencies({ 'draco3d.encoder': await draco.createEncoderModule() });
    const doc = document();
    doc
      .createExtension(KHRDracoMeshCompression)
      .setRequired(true)
      .setEncoderOptions({ quantizationBits: { POSITION: 16 } });
    const bytes = await io.writeBinary(doc);
    const r = await readGltf(bytes);
    expect(r.indices).toHaveLength(mesh.indices.length);
    expect(r.positions).toHaveLength(p.length);
    // Sixteen bits over 20 mm.
    expect(farthest(r.positions)).toBeLessThan(20 / 2 ** 16);
  });

  test('by meshopt, as its own encoder writes it', async () => {
    await MeshoptEncoder.ready;
    const io = new WebIO()
      .registerExtensions([EXTMeshoptCompression])
      .registerDependencies({ 'meshopt.encoder': MeshoptEncoder });
    const doc = document();
    doc.createExtension(EXTMeshoptCompression).setRequired(true);
    const r = await readGltf(await io.writeBinary(doc));
    // The codec may begin a triangle at another of its corners.
    expect(turned(r.indices!)).toEqual(turned(mesh.indices));
    expect(farthest(r.positions)).toBeLessThan(1e-5);
  });

  test('an extension that is not read is named', async () => {
    const json = { asset: { version: '2.0' }, extensionsRequired: ['KHR_blob'], extensionsUsed: ['KHR_blob'] };
    await expect(readGltf(text(JSON.stringify(json)), new Map())).rejects.toThrow(/extension KHR_blob/);
  });
});

describe('glTF as text', () => {
  test('buffers inside, and a claim beyond all room', async () => {
    const floats = Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0]);
    const data = Buffer.from(floats.buffer).toString('base64');
    const json = (count: number): Uint8Array =>
      text(
        JSON.stringify({
          asset: { version: '2.0' },
          scene: 0,
          scenes: [{ nodes: [0] }],
          nodes: [{ mesh: 0 }],
          meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
          accessors: [{ bufferView: 0, componentType: 5126, count, type: 'VEC3', min: [0, 0, 0], max: [1, 1, 0] }],
          bufferViews: [{ buffer: 0, byteLength: 36 }],
          buffers: [{ byteLength: 36, uri: `data:application/octet-stream;base64,${data}` }],
        }),
      );
    const [r] = await readScanFiles(json(3), 'a.gltf');
    expect(Array.from(r.positions, (v) => v || 0)).toEqual([0, 0, 0, 1000, 0, 0, 0, 0, 1000]);
    expect(Array.from(r.indices!)).toEqual([0, 1, 2]);
    await expect(readScanFiles(json(50_000_000), 'a.gltf')).rejects.toThrow(/50000000 values but has only/);
  });

  test('the picture of a material colours the points', async () => {
    const textured: TexturedMesh = {
      ...mesh,
      colors: undefined,
      cornerUvs: new Float32Array(2 * mesh.indices.length).fill(0.25),
      // Left half red, right half blue.
      texture: { width: 2, height: 1, data: Uint8Array.from([255, 0, 0, 0, 0, 255]) },
    };
    const r = await readGltf(await writeGlb(textured, 'ball'));
    expect(Array.from(r.colors!.subarray(0, 3))).toEqual([255, 0, 0]);
  });
});

describe('glTF through a window', () => {
  test('a large file is read a window at a time', async () => {
    const n = 150_000;
    const positions = Float32Array.from({ length: 3 * n }, (_, i) => Math.sin(i) / 10);
    const colors = Uint8Array.from({ length: 3 * n }, (_, i) => (7 * i) % 256);
    const indices = Uint32Array.from({ length: 3 * n }, (_, i) => (i * 31) % n);
    const file = await writeGlb({ positions, colors, indices }, 'large');
    let most = 0;
    const read = (at: number, into: Uint8Array): number => {
      most = Math.max(most, into.length);
      return sourceOf(file).read(at, into);
    };
    const r = await readGltf({ size: file.length, read });
    expect(file.length).toBeGreaterThan(3 << 20);
    expect(most).toBeLessThanOrEqual(1 << 20);
    const same = (a: Uint8Array | Uint32Array, b: Uint8Array | Uint32Array): boolean =>
      Buffer.compare(Buffer.from(a.buffer), Buffer.from(b.buffer)) === 0;
    expect(same(r.indices!, indices)).toBe(true);
    expect(same(r.colors!, colors)).toBe(true);
    for (let i = 0; i < 3 * n; i += 991) expect(r.positions[i]).toBeCloseTo(positions[i], 5);
  });

  test('interleaved, whole-number and sparse lists, as glTF-Transform reads them', async () => {
    // Rows of twelve bytes: a place as three signed shorts, two of padding, a colour of four bytes.
    const rows = new DataView(new ArrayBuffer(5 * 12));
    for (let i = 0; i < 5; i++) {
      for (let k = 0; k < 3; k++) rows.setInt16(12 * i + 2 * k, [32767, -32768, 1234][k] - 100 * i * (k - 1), true);
      for (let k = 0; k < 4; k++) rows.setUint8(12 * i + 8 + k, 60 * i + k);
    }
    const moved = new DataView(new ArrayBuffer(16));
    moved.setUint16(0, 1, true);
    moved.setUint16(2, 4, true);
    for (let k = 0; k < 6; k++) moved.setInt16(4 + 2 * k, 1000 * k, true);
    const data = Buffer.concat([Buffer.from(rows.buffer), Buffer.from(moved.buffer)]);
    const place = { componentType: 5122, count: 5, type: 'VEC3', normalized: true };
    const json = {
      asset: { version: '2.0' },
      scenes: [{ nodes: [0] }],
      nodes: [{ mesh: 0 }],
      meshes: [{ primitives: [{ mode: 0, attributes: { POSITION: 1, COLOR_0: 2 } }] }],
      accessors: [
        { ...place, bufferView: 0 },
        {
          ...place,
          bufferView: 0,
          sparse: {
            count: 2,
            indices: { bufferView: 1, componentType: 5123 },
            values: { bufferView: 1, byteOffset: 4 },
          },
        },
        { componentType: 5121, count: 5, type: 'VEC4', normalized: true, bufferView: 0, byteOffset: 8 },
        { ...place, count: 3 },
      ],
      bufferViews: [
        { buffer: 0, byteLength: 60, byteStride: 12 },
        { buffer: 0, byteOffset: 60, byteLength: 16 },
      ],
      buffers: [{ byteLength: 76, uri: 'numbers%20of.bin' }],
    } as unknown as GLTF.IGLTF;
    const bytes = Uint8Array.from(data);
    const document = await new WebIO().readJSON({ json, resources: { 'numbers%20of.bin': bytes } });
    const theirs = document.getRoot().listAccessors();
    for (const list of [0, 1, 2]) {
      const got: number[][] = [];
      accessorValues(json, list, [bytes]).forEach((v) => got.push([...v]));
      expect(got).toEqual(Array.from({ length: 5 }, (_, i) => Array.from(theirs[list].getElement(i, []))));
    }
    const zeros: number[][] = [];
    accessorValues(json, 3, [bytes]).forEach((v) => zeros.push([...v]));
    expect(zeros).toEqual(Array(3).fill([0, 0, 0]));

    const file = text(JSON.stringify(json));
    const r = await readGltf(file, new Map([['numbers of.bin', bytes]]));
    expect(r.positions).toHaveLength(15);
    expect(r.positions[3]).toBeCloseTo(0, 5);
    expect(r.positions[5]).toBeCloseTo((1000 * 1000) / 32767, 3);
    await expect(readGltf(file, new Map())).rejects.toThrow(/needs numbers%20of.bin, which is not beside it/);
  });

  test('text beyond all measure is refused before room is made for it', async () => {
    const endless = { size: 3e9, read: () => 0 };
    await expect(readGltf(endless, new Map())).rejects.toThrow(
      /has 2861 MB; at most 256 can be read. Export it as .glb/,
    );
    const head = new DataView(new ArrayBuffer(20));
    [0x46546c67, 2, 3e9, 2.9e9, 0x4e4f534a].forEach((v, i) => head.setUint32(4 * i, v, true));
    const lying = {
      size: 3e9,
      read: (at: number, into: Uint8Array) => sourceOf(new Uint8Array(head.buffer)).read(at, into),
    };
    await expect(readGltf(lying)).rejects.toThrow(/at most 256 can be read/);
  });

  test('a picture that is missing is said, the shape is taken', async () => {
    const json = {
      asset: { version: '2.0' },
      scenes: [{ nodes: [0] }],
      nodes: [{ mesh: 0 }],
      meshes: [{ primitives: [{ attributes: { POSITION: 0 }, material: 0 }] }],
      materials: [{ pbrMetallicRoughness: { baseColorTexture: { index: 0 } } }],
      textures: [{ source: 0 }],
      images: [{ uri: 'skin.png' }],
      accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
      bufferViews: [{ buffer: 0, byteLength: 36 }],
      buffers: [{ byteLength: 36, uri: 'a.bin' }],
    };
    const corners = new Uint8Array(Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0]).buffer);
    const r = await readGltf(text(JSON.stringify(json)), new Map([['a.bin', corners]]));
    expect(Array.from(r.indices!)).toEqual([0, 1, 2]);
    expect(r.colors).toBeUndefined();
    expect(r.notes).toContain('skin.png is missing: the shape was taken without it.');
  });
});
