import { GeometryError } from '../../runtime/geometry-error.js';
import type { TriangleMesh } from '../../geometry/triangle-mesh.js';
import { ByteCursor, firstBytes, linesOf, sourceOf, type Bytes } from '../byte-source.js';
import { GrowingArray } from '../../runtime/growing-array.js';
import { assertCount, cleanScanFile, cutOff, type ScanFile } from '../scan-file.js';

/**
 * STL, ascii and binary. Equal corners are joined to shared vertices.
 * Source: 3D Systems (1989), Stereolithography interface specification.
 * @throws GeometryError `corrupt-file` if the bytes are neither kind, `empty-input` without triangles
 */
export function readStl(bytes: Bytes): ScanFile {
  const { size } = sourceOf(bytes);
  if (size >= HEAD) {
    const head = firstBytes(bytes, 512);
    const count = new DataView(head.buffer).getUint32(HEAD - 4, true);
    const said = HEAD + TRIANGLE * count;
    // Text begins with "solid", but so do the heads of some binary files: the length decides.
    const binary = said === size || (!isSolid(head) && looksBinary(head) && count > 0);
    if (binary) {
      assertCount(count, 'triangles');
      if (size < said) throw cutOff(Math.floor((size - HEAD) / TRIANGLE), count, 'triangles');
      return joinCorners(readBinaryCorners(bytes, count));
    }
  }
  return joinCorners(readAsciiCorners(bytes));
}

/** Bytes before the first triangle, and of each. */
const HEAD = 84;
const TRIANGLE = 50;

const isSolid = (head: Uint8Array): boolean => /^\s*solid\b/.test(new TextDecoder('latin1').decode(head));

function looksBinary(head: Uint8Array): boolean {
  return head.some((b) => b === 0 || b > 126);
}

function readBinaryCorners(bytes: Bytes, count: number): Float32Array {
  const out = new Float32Array(9 * count);
  const cursor = new ByteCursor(bytes, HEAD);
  for (let t = 0; t < count; t++) {
    if (!cursor.need(TRIANGLE)) throw cutOff(t, count, 'triangles');
    for (let k = 0; k < 9; k++) out[9 * t + k] = cursor.view.getFloat32(cursor.offset + 12 + 4 * k, true);
    cursor.skip(TRIANGLE);
  }
  return out;
}

function readAsciiCorners(bytes: Bytes): Float32Array {
  const head = new TextDecoder().decode(firstBytes(bytes, 1 << 16));
  if (!/^\s*solid\b/.test(head) || !/\bfacet\b/.test(head)) {
    throw new GeometryError(
      'corrupt-file',
      'This is not an STL file: neither its length fits the binary kind nor does it begin like the text kind.',
    );
  }
  const out = new GrowingArray(Float32Array);
  let ended = false;
  for (const line of linesOf(bytes)) {
    const words = line.trim().split(/\s+/);
    if (words[0] === 'endsolid') ended = true;
    if (words[0] !== 'vertex') continue;
    for (let k = 1; k <= 3; k++) {
      const v = Number(words[k]);
      if (Number.isNaN(v) && !/nan/i.test(words[k] ?? ''))
        throw new GeometryError('corrupt-file', `A vertex holds "${words[k] ?? ''}", which is not a number.`);
      out.push(v);
    }
  }
  if (!ended)
    throw new GeometryError(
      'corrupt-file',
      'The text STL does not end with "endsolid". It was cut off; export it again.',
    );
  if (out.length % 9 !== 0)
    throw new GeometryError('corrupt-file', `The file holds ${out.length / 3} corners, which is no multiple of three.`);
  return out.toArray();
}

function joinCorners(corners: Float32Array): ScanFile {
  if (corners.length === 0) throw new GeometryError('empty-input', 'The STL file holds no triangles.');
  const n = corners.length / 3;
  const bits = new Uint32Array(corners.buffer, corners.byteOffset, corners.length);
  for (let i = 0; i < corners.length; i++) if (corners[i] === 0) corners[i] = 0; // -0 and 0 are the same place
  const slots = new Int32Array(1 << Math.ceil(Math.log2(2 * n))).fill(-1);
  const positions = new GrowingArray(Float32Array);
  const indices = new Uint32Array(n);
  for (let i = 0; i < n; i++) {
    const [x, y, z] = [bits[3 * i], bits[3 * i + 1], bits[3 * i + 2]];
    let slot = hashOf(x, y, z) & (slots.length - 1);
    while (slots[slot] >= 0) {
      const v = 3 * slots[slot];
      const at = (k: number): boolean => positions.at(v + k) === corners[3 * i + k];
      if (at(0) && at(1) && at(2)) break;
      slot = (slot + 1) & (slots.length - 1);
    }
    if (slots[slot] < 0) {
      slots[slot] = positions.length / 3;
      positions.push(corners[3 * i], corners[3 * i + 1], corners[3 * i + 2]);
    }
    indices[i] = slots[slot];
  }
  return cleanScanFile({ format: 'stl', positions: positions.toArray(), indices, companions: [], notes: [] });
}

/** Multiplicative hashing of three words (D. Knuth 1998, The art of computer programming 3, 6.4). */
function hashOf(x: number, y: number, z: number): number {
  let h = Math.imul(x, 0x9e3779b1) ^ Math.imul(y, 0x85ebca6b) ^ Math.imul(z, 0xc2b2ae35);
  h ^= h >>> 15;
  h = Math.imul(h, 0x9e3779b1);
  return (h ^ (h >>> 13)) >>> 0;
}

/** Writes binary STL. */
export function writeStl(mesh: TriangleMesh, name = 'mesh'): Uint8Array {
  const { positions: p, indices } = mesh;
  const m = indices.length / 3;
  const out = new Uint8Array(84 + 50 * m);
  out.set(new TextEncoder().encode(`binary STL, mm, ${name}`).subarray(0, 79));
  const view = new DataView(out.buffer);
  view.setUint32(80, m, true);
  for (let t = 0; t < m; t++) {
    const c = [0, 1, 2].map((k) => 3 * indices[3 * t + k]);
    const u = [0, 1, 2].map((k) => p[c[1] + k] - p[c[0] + k]);
    const v = [0, 1, 2].map((k) => p[c[2] + k] - p[c[0] + k]);
    const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const l = Math.hypot(n[0], n[1], n[2]) || 1;
    let at = 84 + 50 * t;
    for (let k = 0; k < 3; k++, at += 4) view.setFloat32(at, n[k] / l, true);
    for (const i of c) for (let k = 0; k < 3; k++, at += 4) view.setFloat32(at, p[i + k], true);
  }
  return out;
}
