import { encode as encodePng } from 'fast-png';
import { zipSync } from 'fflate';
import { GeometryError } from '../runtime/geometry-error.js';
import type { TexturedMesh, TriangleMesh } from '../geometry/triangle-mesh.js';
import { cleanScanFile, type ScanFile } from './scan-file.js';

/**
 * Wavefront OBJ: vertices (with colours after the coordinates, where present), normals, map coordinates, faces of any
 * number of corners with positive or negative references. Names of material libraries go to `companions`.
 * Source: Wavefront Technologies (1995), Object files, appendix B1 of the Advanced Visualizer manual.
 * @throws GeometryError `corrupt-file` with the line's number, `empty-input`
 */
export function readObj(bytes: Uint8Array): ScanFile {
  const text = new TextDecoder().decode(bytes);
  if (text.slice(0, 2048).includes('\0'))
    throw new GeometryError('corrupt-file', 'This is not an OBJ file: it holds binary data.');
  const positions: number[] = [];
  const colors: number[] = [];
  const uvs: number[] = [];
  const indices: number[] = [];
  const cornerUvs: number[] = [];
  const companions: string[] = [];
  let hasUvs = true;
  let lineNumber = 0;
  let known = 0;
  for (const line of text.split(/\r?\n/)) {
    lineNumber++;
    const words = line.trim().split(/\s+/);
    if (words[0] === 'v') {
      known++;
      const v = words.slice(1).map(Number);
      if (v.length < 3)
        throw new GeometryError('corrupt-file', `Line ${lineNumber}: a vertex needs three coordinates.`);
      positions.push(v[0], v[1], v[2]);
      if (v.length >= 6) for (let k = 3; k < 6; k++) colors.push(Math.max(0, Math.min(255, Math.round(v[k] * 255))));
    } else if (words[0] === 'vt') {
      known++;
      uvs.push(Number(words[1]), Number(words[2] ?? 0));
    } else if (words[0] === 'f') {
      known++;
      const corners = words.slice(1).map((w) => {
        const [v, t] = w.split('/').map((x) => (x ? Number(x) : NaN));
        const id = v < 0 ? positions.length / 3 + v : v - 1;
        const uv = t < 0 ? uvs.length / 2 + t : t - 1;
        if (!Number.isInteger(id) || id < 0)
          throw new GeometryError('corrupt-file', `Line ${lineNumber}: face corner "${w}" can't be read.`);
        return [id, uv];
      });
      if (corners.length < 3)
        throw new GeometryError('corrupt-file', `Line ${lineNumber}: a face needs three corners.`);
      for (let k = 1; k + 1 < corners.length; k++) {
        for (const c of [corners[0], corners[k], corners[k + 1]]) {
          indices.push(c[0]);
          if (Number.isInteger(c[1]) && 2 * c[1] + 1 < uvs.length) cornerUvs.push(uvs[2 * c[1]], uvs[2 * c[1] + 1]);
          else hasUvs = false;
        }
      }
    } else if (words[0] === 'mtllib') companions.push(words.slice(1).join(' '));
  }
  if (known === 0)
    throw new GeometryError('corrupt-file', 'This is not an OBJ file: it holds no vertices and no faces.');
  return cleanScanFile({
    format: 'obj',
    positions: Float32Array.from(positions),
    ...(colors.length === positions.length ? { colors: Uint8Array.from(colors) } : {}),
    ...(indices.length > 0 ? { indices: Uint32Array.from(indices) } : {}),
    ...(indices.length > 0 && hasUvs && cornerUvs.length > 0 ? { cornerUvs: Float32Array.from(cornerUvs) } : {}),
    companions,
    notes: [],
  });
}

/** Writes OBJ and, for a textured mesh, its MTL naming `textureFile`. Coordinates are in `unit` already. */
export function writeObj(
  mesh: TriangleMesh | TexturedMesh,
  name: string,
  textureFile?: string,
  unit = 'mm',
): { obj: Uint8Array; mtl?: Uint8Array } {
  const { positions: p, indices, colors, normals } = mesh;
  const textured = 'cornerUvs' in mesh && textureFile !== undefined;
  const lines: string[] = [`# unit ${unit}, Z up`];
  if (textured) lines.push(`mtllib ${name}.mtl`);
  lines.push(`o ${name.replace(/\s+/g, '_')}`);
  for (let i = 0; i < p.length; i += 3) {
    const color =
      colors && !textured
        ? ` ${(colors[i] / 255).toFixed(4)} ${(colors[i + 1] / 255).toFixed(4)} ${(colors[i + 2] / 255).toFixed(4)}`
        : '';
    lines.push(`v ${p[i]} ${p[i + 1]} ${p[i + 2]}${color}`);
  }
  if (normals)
    for (let i = 0; i < normals.length; i += 3)
      lines.push(`vn ${normals[i].toFixed(5)} ${normals[i + 1].toFixed(5)} ${normals[i + 2].toFixed(5)}`);
  if (textured) {
    const uv = (mesh as TexturedMesh).cornerUvs;
    for (let i = 0; i < uv.length; i += 2) lines.push(`vt ${uv[i].toFixed(6)} ${uv[i + 1].toFixed(6)}`);
    lines.push('usemtl surface');
  }
  for (let t = 0; t < indices.length; t += 3) {
    const corner = (k: number): string => {
      const v = indices[t + k] + 1;
      return `${v}/${textured ? t + k + 1 : ''}${normals ? `/${v}` : ''}`.replace(/\/$/, '');
    };
    lines.push(`f ${corner(0)} ${corner(1)} ${corner(2)}`);
  }
  const obj = new TextEncoder().encode(lines.join('\n') + '\n');
  if (!textured) return { obj };
  const mtl = `newmtl surface\nKa 0 0 0\nKd 1 1 1\nKs 0 0 0\nillum 1\nmap_Kd ${textureFile}\n`;
  return { obj, mtl: new TextEncoder().encode(mtl) };
}

/**
 * A textured mesh as OBJ, MTL and map (PNG) in one zip. Names inside hold no spaces: many readers stop at them.
 * @param name of the files inside, without ending
 */
export function writeObjZip(mesh: TexturedMesh, name: string, unit = 'mm'): Uint8Array {
  const base = name.replace(/\s+/g, '_');
  const { obj, mtl } = writeObj(mesh, base, `${base}.png`, unit);
  const { width, height, data } = mesh.texture;
  const png = encodePng({ width, height, data, channels: 3, depth: 8 });
  return zipSync({
    [`${base}.obj`]: [obj, { level: 6 }],
    [`${base}.mtl`]: [mtl!, { level: 6 }],
    // Packed already.
    [`${base}.png`]: [png, { level: 0 }],
  });
}
