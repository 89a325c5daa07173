import { encode as encodePng } from 'fast-png';
import { zipSync } from 'fflate';
import type { TexturedMesh, TriangleMesh } from '../../geometry/triangle-mesh.js';

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
