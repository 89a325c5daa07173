import { pinhole, type ColorImage, type TexturedMesh, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  encodeDepthPng,
  write3mf,
  writeE57,
  writeGlb,
  writeObj,
  writeOff,
  writePcd,
  writePly,
  writeStl,
  writeXyz,
  type PackedFile,
} from '@amber-knit/core/io';
import { encodeColorJpeg, encodeColorPng, encodeMesh } from '@amber-knit/core/stored';

/** A file to be spoilt: whole, or as the parts of a zip that is packed again once one of them was. */
export interface WholeFile {
  name: string;
  bytes?: Uint8Array;
  parts?: PackedFile[];
  /** Its pages end with checksums, which are made right again: else nothing behind them is ever reached. */
  paged?: boolean;
}

const SIDE = 16;
const IMAGE: ColorImage = {
  width: SIDE,
  height: SIDE,
  data: Uint8Array.from({ length: 3 * SIDE * SIDE }, (_, i) => (37 * i) % 256),
};

/** Small whole files of every kind that is read, written by our own writers or by hand where there is none. */
export async function wholeFiles(): Promise<WholeFile[]> {
  const mesh = bowl();
  const n = mesh.positions.length / 3;
  const colors = Uint8Array.from({ length: 3 * n }, (_, i) => (7 * i) % 256);
  const cloud = { positions: mesh.positions, colors };
  const textured: TexturedMesh = {
    ...mesh,
    cornerUvs: Float32Array.from({ length: 2 * mesh.indices.length }, (_, i) => ((13 * i) % 97) / 97),
    texture: IMAGE,
  } as TexturedMesh;
  const text = (s: string): Uint8Array => new TextEncoder().encode(s);
  const rows = Array.from({ length: n }, (_, i) => [...mesh.positions.subarray(3 * i, 3 * i + 3)]);
  const triangle = (t: number): number[][] => [0, 1, 2].map((k) => rows[mesh.indices[3 * t + k]]);
  const facets = Array.from({ length: mesh.indices.length / 3 }, (_, t) =>
    [
      'facet normal 0 0 1',
      'outer loop',
      ...triangle(t).map((p) => `vertex ${p.join(' ')}`),
      'endloop',
      'endfacet',
    ].join('\n'),
  );
  const obj = writeObj(textured, 'bowl');
  const camera = pinhole(SIDE, SIDE, 40);
  const depth = new Float32Array(SIDE * SIDE).fill(300);
  return [
    { name: 'binary.ply', bytes: writePly({ ...mesh, colors }) },
    { name: 'text.ply', bytes: writePly({ ...mesh, colors }, 'ascii') },
    { name: 'binary.stl', bytes: writeStl(mesh) },
    { name: 'text.stl', bytes: text(`solid a\n${facets.join('\n')}\nendsolid a\n`) },
    { name: 'bowl.off', bytes: writeOff(mesh) },
    { name: 'points.xyz', bytes: writeXyz(cloud) },
    { name: 'points.csv', bytes: text(`x,y,z\n${rows.map((r) => r.join(',')).join('\n')}\n`) },
    { name: 'binary.pcd', bytes: writePcd(cloud) },
    {
      name: 'text.pcd',
      bytes: text(
        `VERSION .7\nFIELDS x y z\nSIZE 4 4 4\nTYPE F F F\nCOUNT 1 1 1\nWIDTH ${n}\nHEIGHT 1\nPOINTS ${n}\nDATA ascii\n${rows.map((r) => r.join(' ')).join('\n')}\n`,
      ),
    },
    { name: 'bowl.glb', bytes: await writeGlb(mesh, 'bowl') },
    { name: 'painted.glb', bytes: await writeGlb(textured, 'bowl') },
    { name: 'packed.glb', bytes: await writeGlb(mesh, 'bowl', { draco: true }) },
    { name: 'bowl.3mf', bytes: write3mf(textured, 'bowl') },
    {
      name: 'two.e57',
      paged: true,
      bytes: writeE57([
        { name: 'a', cloud },
        { name: 'b', cloud, viewpoints: [[0, 0, 300]] },
      ]),
    },
    {
      name: 'bowl.zip',
      parts: [
        { name: 'bowl.obj', content: obj.obj },
        { name: 'bowl.mtl', content: obj.mtl ?? '' },
        { name: 'bowl.png', content: encodeColorPng(IMAGE) },
      ],
    },
    {
      name: 'scans.zip',
      parts: [
        { name: 'a.ply', content: writePly(cloud) },
        { name: 'b.pcd', content: writePcd(cloud) },
      ],
    },
    {
      name: 'depth.zip',
      parts: [
        { name: 'intrinsics.json', content: JSON.stringify(camera) },
        { name: 'trajectory.txt', content: '0 0 0 0 0 0 0 1\n1 1 0 0 0 0 0 1\n' },
        { name: 'depth/0.png', content: encodeDepthPng(depth, camera, 5) },
        { name: 'depth/1.png', content: encodeDepthPng(depth, camera, 5) },
        { name: 'color/0.jpg', content: encodeColorJpeg(IMAGE, 80) },
        { name: 'color/1.jpg', content: encodeColorJpeg(IMAGE, 80) },
      ],
    },
    { name: 'surface.akb', bytes: encodeMesh({ ...mesh, colors }) },
    { name: 'painted.akb', bytes: encodeMesh(textured) },
  ];
}

/** A shallow bowl of two hundred vertices. */
function bowl(): TriangleMesh {
  const across = 15;
  const positions: number[] = [];
  for (let j = 0; j < across; j++)
    for (let i = 0; i < across; i++) {
      const [x, y] = [10 * (i - 7), 10 * (j - 7)];
      positions.push(x, y, (x * x + y * y) / 200);
    }
  const indices: number[] = [];
  for (let j = 0; j + 1 < across; j++)
    for (let i = 0; i + 1 < across; i++) {
      const v = j * across + i;
      indices.push(v, v + 1, v + across, v + 1, v + across + 1, v + across);
    }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}
