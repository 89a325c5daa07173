import { zipSync } from 'fflate';
import {
  encodeDepthPng,
  writeE57,
  writeGlb,
  writeObj,
  writePcd,
  writePly,
  writeStl,
  writeXyz,
} from '../src/io/index.js';
import { PageWriter } from '../src/io/e57/pages.js';
import { createRandom } from '../src/math/index.js';
import { meshOf, sphere } from './shapes.js';

/** A file that no honest program writes. */
export interface HostileFile {
  name: string;
  bytes: Uint8Array;
}

const text = (s: string): Uint8Array => new TextEncoder().encode(s);

/** Whole files of every kind, to be spoilt. */
async function wholeFiles(): Promise<HostileFile[]> {
  const mesh = meshOf(sphere(40), 40, 5);
  const colors = Uint8Array.from({ length: mesh.positions.length }, (_, i) => (7 * i) % 256);
  const cloud = { positions: mesh.positions, colors };
  const n = mesh.positions.length / 3;
  const faces = Array.from(
    { length: mesh.indices.length / 3 },
    (_, t) => `3 ${mesh.indices.slice(3 * t, 3 * t + 3).join(' ')}`,
  );
  const points = Array.from({ length: n }, (_, i) => mesh.positions.slice(3 * i, 3 * i + 3).join(' '));
  const facets = ['solid a'];
  for (const t of mesh.indices.slice(0, 900)) facets.push(`vertex ${mesh.positions.slice(3 * t, 3 * t + 3).join(' ')}`);
  const camera = { width: 40, height: 30, fx: 30, fy: 30, cx: 20, cy: 15 };
  const depth = encodeDepthPng(new Float32Array(1200).fill(300), camera, 5);
  return [
    { name: 'binary.ply', bytes: writePly({ ...mesh, colors }) },
    { name: 'text.ply', bytes: writePly({ ...mesh, colors }, 'ascii') },
    { name: 'mesh.obj', bytes: writeObj(mesh, 'mesh').obj },
    { name: 'binary.stl', bytes: writeStl(mesh) },
    { name: 'text.stl', bytes: text(`${facets.join('\n')}\nfacet\nendsolid a\n`) },
    { name: 'mesh.off', bytes: text(`OFF\n${n} ${faces.length} 0\n${points.join('\n')}\n${faces.join('\n')}\n`) },
    { name: 'points.xyz', bytes: writeXyz(cloud) },
    { name: 'points.csv', bytes: text(`x,y,z\n${points.map((p) => p.replaceAll(' ', ',')).join('\n')}\n`) },
    { name: 'binary.pcd', bytes: writePcd(cloud) },
    { name: 'mesh.glb', bytes: await writeGlb(mesh, 'mesh') },
    {
      name: 'two.e57',
      bytes: writeE57([
        { name: 'a', cloud },
        { name: 'b', cloud },
      ]),
    },
    { name: 'scans.zip', bytes: zipSync({ 'a.ply': writePly(cloud), 'b.ply': writePly(cloud) }) },
    {
      name: 'depth.zip',
      bytes: zipSync({
        'intrinsics.json': text(JSON.stringify(camera)),
        'trajectory.txt': text('0 0 0 0 0 0 0 1\n'),
        'depth/0.png': depth,
      }),
    },
  ];
}

const plyHead = (count: number, more = ''): string =>
  `ply\nformat binary_little_endian 1.0\nelement vertex ${count}\nproperty float x\nproperty float y\nproperty float z\n${more}end_header\n`;

const gltf = (change: object): Uint8Array =>
  text(
    JSON.stringify({
      asset: { version: '2.0' },
      scene: 0,
      scenes: [{ nodes: [0] }],
      nodes: [{ mesh: 0 }],
      meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
      accessors: [{ componentType: 5126, count: 3, type: 'VEC3', min: [0, 0, 0], max: [1, 1, 0] }],
      ...change,
    }),
  );

const e57 = (xml: string): Uint8Array => new PageWriter().finish(text(xml));

/** Files that lie about themselves, each in a way of its own. */
function lyingFiles(): HostileFile[] {
  const deep = Array.from({ length: 20_000 }, (_, i) => ({ children: [i + 1] }));
  const many = Object.fromEntries(Array.from({ length: 21_000 }, (_, i) => [`${i}.ply`, new Uint8Array(0)]));
  const bomb = zipSync({ 'zeros.xyz': new Uint8Array(60_000_000) }, { level: 9 });
  const floats = (v: number, n: number): Uint8Array => new Uint8Array(new Float32Array(n).fill(v).buffer);
  const join = (...parts: Uint8Array[]): Uint8Array => Uint8Array.from(parts.flatMap((p) => Array.from(p)));
  const stl = new Uint8Array(84 + 50);
  new DataView(stl.buffer).setUint32(80, 0xffffffff, true);
  return [
    { name: 'empty.ply', bytes: new Uint8Array(0) },
    { name: 'sixty-million.ply', bytes: text(plyHead(60_000_000)) },
    { name: 'billions.ply', bytes: text(plyHead(4e15)) },
    { name: 'minus-one.ply', bytes: text(plyHead(-1)) },
    { name: 'none.ply', bytes: text(plyHead(0)) },
    { name: 'no-numbers.ply', bytes: join(text(plyHead(500)), floats(NaN, 1500)) },
    { name: 'infinite.ply', bytes: join(text(plyHead(500)), floats(Infinity, 1500)) },
    { name: 'one-place.ply', bytes: join(text(plyHead(500)), floats(7, 1500)) },
    { name: 'enormous.ply', bytes: join(text(plyHead(500)), floats(3e38, 1500)) },
    {
      name: 'long-list.ply',
      bytes: join(
        text(plyHead(200, 'element face 1\nproperty list uint int vertex_indices\n')),
        floats(1, 600),
        Uint8Array.of(255, 255, 255, 255),
      ),
    },
    { name: 'endless-head.ply', bytes: text(`ply\n${'comment x\n'.repeat(200_000)}`) },
    {
      name: 'many-properties.ply',
      bytes: text(plyHead(60_000_000, 'property float a\n'.repeat(3000))),
    },
    { name: 'unknown-type.ply', bytes: text(plyHead(1, 'property quad w\n')) },
    { name: 'picture.ply', bytes: Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, 0, 0, 0, 13) },
    { name: 'billions.off', bytes: text('OFF\n59999999 59999999 0\n0 0 0\n') },
    { name: 'far-corners.off', bytes: text('OFF\n1 1 0\n0 0 0\n9999999 0 0 0\n') },
    { name: 'far-corners.obj', bytes: text(`v 0 0 0\nv 1 0 0\nv 0 1 0\n${'f 1 999999999 3\n'.repeat(200)}`) },
    { name: 'overflow.obj', bytes: text('v 1e999 -1e999 0\n'.repeat(300)) },
    { name: 'no-corners.obj', bytes: text('v 0 0 0\nf 1\n') },
    { name: 'carried-on.obj', bytes: text('v 0 0 0 \\\n'.repeat(100_000)) },
    { name: 'one-line.obj', bytes: text(`v ${'1 '.repeat(2_000_000)}`) },
    { name: 'billions.stl', bytes: stl },
    { name: 'one-line.xyz', bytes: text('1 '.repeat(2_000_000)) },
    { name: 'no-numbers.xyz', bytes: text('nan nan nan\n'.repeat(100_000)) },
    { name: 'binary.xyz', bytes: Uint8Array.from({ length: 100_000 }, (_, i) => (i * 7919) % 256) },
    { name: 'wide.csv', bytes: text(`${'1,'.repeat(50_000)}1\n`.repeat(5)) },
    {
      name: 'utf16.txt',
      bytes: new Uint8Array(Uint16Array.from('1 2 3\n'.repeat(500), (c) => c.charCodeAt(0)).buffer),
    },
    {
      name: 'billions.pcd',
      bytes: text('VERSION .7\nFIELDS x y z\nSIZE 4 4 4\nTYPE F F F\nPOINTS 59999999\nDATA binary\n'),
    },
    {
      name: 'wide.pcd',
      bytes: text(
        'VERSION .7\nFIELDS x y z w\nSIZE 8 8 8 8\nTYPE F F F F\nCOUNT 1 1 1 4095\nPOINTS 59999999\nDATA ascii\n',
      ),
    },
    {
      name: 'packed-bomb.pcd',
      bytes: join(
        text('VERSION .7\nFIELDS x y z\nSIZE 4 4 4\nTYPE F F F\nPOINTS 59999999\nDATA binary_compressed\n'),
        new Uint8Array(Uint32Array.of(8, 12 * 59999999, 0, 0).buffer),
      ),
    },
    { name: 'billions.gltf', bytes: gltf({ accessors: [{ componentType: 5126, count: 4e9, type: 'VEC3' }] }) },
    { name: 'fifty-million.gltf', bytes: gltf({ accessors: [{ componentType: 5126, count: 5e7, type: 'VEC3' }] }) },
    { name: 'circle.gltf', bytes: gltf({ nodes: [{ children: [0] }] }) },
    { name: 'deep.gltf', bytes: gltf({ nodes: [...deep, { mesh: 0 }] }) },
    {
      name: 'nowhere.gltf',
      bytes: gltf({ accessors: [{ bufferView: 9, componentType: 5126, count: 3, type: 'VEC3' }] }),
    },
    { name: 'outside.gltf', bytes: gltf({ buffers: [{ byteLength: 36, uri: '../../../../etc/passwd' }] }) },
    { name: 'not-json.gltf', bytes: text('{'.repeat(100_000)) },
    {
      name: 'entities.e57',
      bytes: e57('<!DOCTYPE e [<!ENTITY a "&#x41;"><!ENTITY b "&a;&a;">]><e57Root>&b;</e57Root>'),
    },
    { name: 'deep.e57', bytes: e57(`<e57Root>${'<a>'.repeat(50_000)}`) },
    {
      name: 'sixty-million.e57',
      bytes: e57(
        '<e57Root><data3D><vectorChild><points fileOffset="48" recordCount="60000000"><prototype><cartesianX type="Integer" minimum="1" maximum="1"/><cartesianY type="Integer" minimum="1" maximum="1"/><cartesianZ type="Integer" minimum="1" maximum="1"/></prototype></points></vectorChild></data3D></e57Root>',
      ),
    },
    {
      name: 'nowhere.e57',
      bytes: e57(
        '<e57Root><data3D><vectorChild><points fileOffset="99999999" recordCount="10"><prototype><cartesianX type="Float"/><cartesianY type="Float"/><cartesianZ type="Float"/></prototype></points></vectorChild></data3D></e57Root>',
      ),
    },
    { name: 'bomb.zip', bytes: bomb },
    { name: 'many.zip', bytes: zipSync(many) },
    {
      name: 'outside.zip',
      bytes: zipSync({ '../../../escaped.ply': text(plyHead(0)), '/etc/escaped.ply': text('x') }),
    },
    { name: 'nested.zip', bytes: zipSync({ 'inner.zip': zipSync({ 'a.ply': text('ply') }) }) },
    { name: 'huge-picture.zip', bytes: zipSync(depthFolder('{"width":1e9,"height":1e9,"fx":1,"fy":1,"cx":0,"cy":0}')) },
    { name: 'no-json.zip', bytes: zipSync(depthFolder('[')) },
    {
      name: 'thousands-of-poses.zip',
      bytes: zipSync(depthFolder('{"width":4,"height":4,"fx":1,"fy":1,"cx":0,"cy":0}', 50_000)),
    },
    { name: 'gzip.ply.gz', bytes: Uint8Array.of(0x1f, 0x8b, 8, 0, 0, 0, 0, 0) },
    { name: 'letter.doc', bytes: text('Dear colleague, attached is the scan you asked for.') },
  ];
}

function depthFolder(intrinsics: string, poses = 1): Record<string, Uint8Array> {
  return {
    'intrinsics.json': text(intrinsics),
    'trajectory.txt': text(Array.from({ length: poses }, (_, i) => `${i} 0 0 0 0 0 0 1`).join('\n')),
    'depth/0.png': text('no picture'),
  };
}

/**
 * A corpus of hostile files, made anew each time, always the same: whole files cut off, cut to their heads, with bytes
 * turned over; and files that lie about themselves.
 */
export async function hostileFiles(): Promise<HostileFile[]> {
  const random = createRandom(11);
  const spoilt = (await wholeFiles()).flatMap(({ name, bytes }) => {
    const turned = bytes.slice();
    for (let k = 0; k < 30; k++) turned[Math.floor(random() * turned.length)] ^= 1 + Math.floor(255 * random());
    return [
      { name: `half-${name}`, bytes: bytes.slice(0, bytes.length >> 1) },
      { name: `head-${name}`, bytes: bytes.slice(0, 40) },
      { name: `turned-${name}`, bytes: turned },
    ];
  });
  return [...spoilt, ...lyingFiles()];
}
