import { GeometryError } from '../runtime/geometry-error.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { assertCount, cleanScanFile, type ScanFile } from './scan-file.js';

/**
 * STL, ascii and binary. Equal corners are joined to shared vertices.
 * Source: 3D Systems (1989), Stereolithography interface specification.
 * @throws GeometryError `corrupt-file` if the bytes are neither kind, `empty-input` without triangles
 */
export function readStl(bytes: Uint8Array): ScanFile {
  if (bytes.length >= 84) {
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const count = view.getUint32(80, true);
    if (84 + 50 * count === bytes.length) return joinCorners(readBinaryCorners(view, count));
    const startsSolid = String.fromCharCode(...bytes.subarray(0, 5)) === 'solid';
    if (!startsSolid) {
      if (count > 0 && bytes.length < 84 + 50 * count && looksBinary(bytes)) {
        const held = Math.floor((bytes.length - 84) / 50);
        throw new GeometryError(
          'corrupt-file',
          `The file ends after ${held} of ${count} triangles. It was cut off; copy or export it again.`,
        );
      }
      if (looksBinary(bytes) && count > 0 && bytes.length > 84 + 50 * count) {
        assertCount(count, 'triangles');
        return joinCorners(readBinaryCorners(view, count));
      }
    }
  }
  return joinCorners(readAsciiCorners(bytes));
}

function looksBinary(bytes: Uint8Array): boolean {
  for (let i = 0; i < Math.min(bytes.length, 512); i++) if (bytes[i] === 0 || bytes[i] > 126) return true;
  return false;
}

function readBinaryCorners(view: DataView, count: number): Float32Array {
  const out = new Float32Array(9 * count);
  for (let t = 0; t < count; t++) {
    for (let k = 0; k < 9; k++) out[9 * t + k] = view.getFloat32(84 + 50 * t + 12 + 4 * k, true);
  }
  return out;
}

function readAsciiCorners(bytes: Uint8Array): Float32Array {
  const text = new TextDecoder().decode(bytes);
  if (!/^\s*solid\b/.test(text) || !/\bfacet\b/.test(text)) {
    throw new GeometryError(
      'corrupt-file',
      'This is not an STL file: neither its length fits the binary kind nor does it begin like the text kind.',
    );
  }
  const out: number[] = [];
  const pattern = /vertex\s+(\S+)\s+(\S+)\s+(\S+)/g;
  for (let m = pattern.exec(text); m; m = pattern.exec(text)) {
    for (let k = 1; k <= 3; k++) {
      const v = Number(m[k]);
      if (Number.isNaN(v) && !/nan/i.test(m[k]))
        throw new GeometryError('corrupt-file', `A vertex holds "${m[k]}", which is not a number.`);
      out.push(v);
    }
  }
  if (!/\bendsolid\b/.test(text))
    throw new GeometryError(
      'corrupt-file',
      'The text STL does not end with "endsolid". It was cut off; export it again.',
    );
  if (out.length % 9 !== 0)
    throw new GeometryError('corrupt-file', `The file holds ${out.length / 3} corners, which is no multiple of three.`);
  return Float32Array.from(out);
}

function joinCorners(corners: Float32Array): ScanFile {
  if (corners.length === 0) throw new GeometryError('empty-input', 'The STL file holds no triangles.');
  const known = new Map<string, number>();
  const positions: number[] = [];
  const indices = new Uint32Array(corners.length / 3);
  for (let i = 0; i < indices.length; i++) {
    const key = `${corners[3 * i]},${corners[3 * i + 1]},${corners[3 * i + 2]}`;
    let id = known.get(key);
    if (id === undefined) {
      id = positions.length / 3;
      known.set(key, id);
      positions.push(corners[3 * i], corners[3 * i + 1], corners[3 * i + 2]);
    }
    indices[i] = id;
  }
  return cleanScanFile({ format: 'stl', positions: Float32Array.from(positions), indices, companions: [], notes: [] });
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
