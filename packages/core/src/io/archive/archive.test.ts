import { encode as encodePng } from 'fast-png';
import { zipSync, type Zippable } from 'fflate';
import { meshOf, sphere } from '../../../test/shapes.js';
import { writeObjZip } from '../obj/write-obj.js';
import { readMtl } from '../obj/read-mtl.js';
import { writePly } from '../ply/write-ply.js';
import { readScanFiles } from '../read-scan-files.js';
import { encodeDepthPng } from '../rgbd/rgbd-folder.js';
import { writeE57 } from '../e57/write-e57.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const mesh = meshOf(sphere(10), 10, 3);
const zip = (files: Zippable): Uint8Array => zipSync(files, { level: 6 });
const read = (files: Zippable) => readScanFiles(zip(files), 'scans.zip');
/** Two pixels: left red, right green. */
const picture = encodePng({
  width: 2,
  height: 1,
  data: Uint8Array.from([255, 0, 0, 0, 255, 0]),
  channels: 3,
  depth: 8,
});
const square = 'v 0 0 0\nv 10 0 0\nv 10 10 0\nv 0 10 0\nvt 0.2 0.5\nvt 0.8 0.5\n';

describe('OBJ with its materials', () => {
  const obj = text(`mtllib my paint.mtl\n${square}usemtl left\nf 1/1 2/1 3/1\nusemtl plain\nf 1/2 3/2 4/2\n`);
  const mtl = text('newmtl left\nKd 1 1 1\nmap_Kd -s 1 1 1 -clamp on maps\\p.png\nnewmtl plain\nKd 0 0 1\n');

  test('the picture and the plain colour reach the points', async () => {
    const [r] = await read({ 'a/ear.obj': obj, 'a/my paint.mtl': mtl, 'a/maps/p.png': picture });
    expect(r.name).toBe('ear');
    // Corners 1 and 3 meet both triangles, red and blue; 2 only the red one, 4 only the blue one.
    expect(Array.from(r.colors!)).toEqual([128, 0, 128, 255, 0, 0, 128, 0, 128, 0, 0, 255]);
  });

  test('what is missing is said, and the shape comes all the same', async () => {
    const [noPicture] = await read({ 'ear.obj': obj, 'my paint.mtl': mtl });
    expect(noPicture.indices).toHaveLength(6);
    expect(noPicture.notes.join()).toMatch(/picture maps.p\.png is missing/);
    const [bare] = await read({ 'ear.obj': obj });
    expect(bare.colors).toBeUndefined();
    expect(bare.notes.join()).toMatch(/material file my paint\.mtl is missing/);
    const [broken] = await read({ 'ear.obj': obj, 'my paint.mtl': mtl, 'p.png': text('no picture') });
    expect(broken.notes.join()).toMatch(/can't be read as a PNG/);
  });

  test('the zip that is written comes back', async () => {
    const cornerUvs = new Float32Array(2 * mesh.indices.length).fill(0.25);
    const texture = { width: 2, height: 1, data: Uint8Array.from([255, 0, 0, 0, 255, 0]) };
    const [r] = await readScanFiles(writeObjZip({ ...mesh, cornerUvs, texture }, 'my ball'), 'ball.zip');
    expect(r.positions).toHaveLength(mesh.positions.length);
    expect(Array.from(r.colors!.subarray(0, 3))).toEqual([255, 0, 0]);
  });

  test('options of maps are passed over, names may hold blanks', () => {
    const m = readMtl('newmtl a b\nmap_Kd -o 1 2 3 -mm 0 1 my map.png\nnewmtl c\nKd 0.5 2 -1\n');
    expect(m.get('a b')).toEqual({ picture: 'my map.png' });
    expect(m.get('c')).toEqual({ color: [128, 255, 0] });
  });
});

describe('an archive of scans', () => {
  const ply = writePly({ positions: mesh.positions });

  test('all kinds in it become scans, in order of their numbers', async () => {
    const files = await read({
      'set/10.ply': ply,
      'set/2.ply': ply,
      'both.e57': writeE57([
        { name: 'left', cloud: { positions: mesh.positions } },
        { name: 'right', cloud: { positions: mesh.positions } },
      ]),
      'README.txt': text('Dear colleague'),
      '__MACOSX/._2.ply': text('clutter'),
      'set/.DS_Store': text('clutter'),
      'letter.doc': text('hello'),
    });
    expect(files.map((f) => f.name)).toEqual(['left', 'right', '2', '10']);
    expect(files[0].notes.join()).toContain('Passed over in the archive: letter.doc');
  });

  test('a broken scan in it is named', async () => {
    await expect(read({ 'a.ply': ply, 'b.ply': ply.subarray(0, 400) })).rejects.toThrow(/^b\.ply: .*cut off/);
    await expect(read({ 'letter.doc': text('hello') })).rejects.toThrow(/holds no scan: none of its 1 files/);
    await expect(read({})).rejects.toThrow(/holds no files/);
  });

  test('glTF finds its buffers beside it', async () => {
    const json = {
      asset: { version: '2.0' },
      scene: 0,
      scenes: [{ nodes: [0] }],
      nodes: [{ mesh: 0 }],
      meshes: [{ primitives: [{ mode: 0, attributes: { POSITION: 0 } }] }],
      accessors: [{ bufferView: 0, componentType: 5126, count: 2, type: 'VEC3', min: [0, 0, 0], max: [1, 1, 1] }],
      bufferViews: [{ buffer: 0, byteLength: 24 }],
      buffers: [{ byteLength: 24, uri: 'points.bin' }],
    };
    const points = new Uint8Array(Float32Array.from([0, 0, 0, 1, 2, 3]).buffer);
    const [r] = await read({ 'x/a.gltf': text(JSON.stringify(json)), 'x/points.bin': points });
    expect(Array.from(r.positions, (v) => v || 0)).toEqual([0, 0, 0, 1000, -3000, 2000]);
    await expect(read({ 'x/a.gltf': text(JSON.stringify(json)) })).rejects.toThrow(
      /x\/a\.gltf: The file needs points\.bin, which is not beside it/,
    );
  });

  test('a file whose content would begin behind the end of the archive is refused', async () => {
    const archive = zip({ 'a.ply': writePly(mesh) });
    // The length of its name, as its own header has it.
    new DataView(archive.buffer, archive.byteOffset).setUint16(26, 0xffff, true);
    await expect(readScanFiles(archive, 'scans.zip')).rejects.toThrow(/cut off or damaged/);
  });

  test('a bomb is refused before it is unpacked', async () => {
    // A zip of zeros whose directory claims a terabyte.
    const bomb = zip({ 'a.ply': new Uint8Array(1000) });
    const view = new DataView(bomb.buffer);
    for (let i = 0; i + 4 < bomb.length; i++)
      if (view.getUint32(i, true) === 0x02014b50) view.setUint32(i + 24, 0xfffffff0, true);
    await expect(readScanFiles(bomb, 'bomb.zip')).rejects.toThrow(/more than an archive of scans needs/);
  });
});

describe('folders of depth pictures', () => {
  const camera = { width: 4, height: 2, fx: 3, fy: 3, cx: 1.5, cy: 0.5 };
  const depth = (mm: number): Uint8Array => encodeDepthPng(new Float32Array(8).fill(mm), camera, 5);
  const pose = (time: string, x: number): string => `${time} ${x} 0 0 0 0 0 1`;

  test('pictures and poses are matched by their times', async () => {
    const [r] = await read({
      'jug/intrinsics.json': text(JSON.stringify(camera)),
      // As in the TUM benchmark: more poses than pictures, and one picture without any near it.
      'jug/groundtruth.txt': text(['# t', pose('0.995', 1), pose('1.5', 2), pose('2.01', 3), pose('9', 4)].join('\n')),
      'jug/depth/1.000000.png': depth(100),
      'jug/depth/2.000000.png': depth(200),
      'jug/depth/3.000000.png': depth(300),
    });
    expect(r.name).toBe('jug');
    expect(r.frames!.map((f) => [f.name, f.scanFromSensor[12], f.depth[0]])).toEqual([
      ['1.000000', 1000, 100],
      ['2.000000', 3000, 200],
    ]);
    expect(r.notes.join()).toContain('1 depth pictures without a pose');
  });

  test('depth as TIFF of 16 bits', async () => {
    const [r] = await read({
      'intrinsics.json': text(JSON.stringify(camera)),
      'trajectory.txt': text(pose('0', 0)),
      'depth/0.tif': tiff(4, 2, Uint16Array.from([5, 10, 15, 20, 25, 30, 35, 40])),
    });
    expect(Array.from(r.frames![0].depth)).toEqual([1, 2, 3, 4, 5, 6, 7, 8]);
  });

  test('names that tell no times are refused', async () => {
    const files = {
      'intrinsics.json': text(JSON.stringify(camera)),
      'trajectory.txt': text(`${pose('0', 0)}\n${pose('1', 0)}`),
      'depth/a.png': depth(100),
    };
    await expect(read(files)).rejects.toThrow(/2 poses for 1 depth pictures, and their names tell no times/);
  });
});

/** The plainest grey TIFF of 16 bits (Adobe 1992, TIFF revision 6.0, section 4): one strip, little-endian. */
function tiff(width: number, height: number, data: Uint16Array): Uint8Array {
  const tags: [number, number, number][] = [
    [256, 3, width],
    [257, 3, height],
    [258, 3, 16],
    [259, 3, 1],
    [262, 3, 1],
    [273, 4, 8],
    [277, 3, 1],
    [278, 3, height],
    [279, 4, data.byteLength],
  ];
  const out = new DataView(new ArrayBuffer(8 + data.byteLength + 2 + 12 * tags.length + 4));
  out.setUint16(0, 0x4949, true);
  out.setUint16(2, 42, true);
  out.setUint32(4, 8 + data.byteLength, true);
  data.forEach((v, i) => out.setUint16(8 + 2 * i, v, true));
  let at = 8 + data.byteLength;
  out.setUint16(at, tags.length, true);
  at += 2;
  for (const [tag, type, value] of tags) {
    out.setUint16(at, tag, true);
    out.setUint16(at + 2, type, true);
    out.setUint32(at + 4, 1, true);
    out.setUint32(at + 8, value, true);
    at += 12;
  }
  return new Uint8Array(out.buffer);
}
