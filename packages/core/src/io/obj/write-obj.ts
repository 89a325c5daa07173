import { encode as encodePng } from 'fast-png';
import { zipSync } from 'fflate';
import { MAP_MEANINGS, type BakedMap, type LightModel } from '../../geometry/light-model.js';
import type { TexturedMesh, TriangleMesh } from '../../geometry/triangle-mesh.js';
import { encodeMapPng } from '../../stored/map-png.js';

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
 * A textured mesh as OBJ, MTL and map (PNG) in one zip; a light model with all its maps, and `maps.json`, which says what their
 * numbers stand for. Names inside hold no spaces: many readers stop at them.
 * @param name of the files inside, without ending
 * @param perMm what a millimetre is in the unit of the coordinates, for the heights
 */
export function writeObjZip(mesh: TexturedMesh | LightModel, name: string, unit = 'mm', perMm = 1): Uint8Array {
  const base = name.replace(/\s+/g, '_');
  const { obj, mtl } = writeObj(mesh, base, `${base}.png`, unit);
  const { width, height, data } = mesh.texture;
  const png = encodePng({ width, height, data, channels: 3, depth: 8 });
  const maps = 'maps' in mesh ? mesh.maps : [];
  const fileOf = ({ kind }: BakedMap): string => `${base}_${kind}.png`;
  const text = (s: string): Uint8Array => new TextEncoder().encode(s);
  const more = maps.flatMap((m) =>
    m.kind === 'normal' ? [`norm ${fileOf(m)}\n`] : displacementLine(m, fileOf(m), perMm),
  );
  const legend = maps.map(({ kind, range, ...m }) => ({
    file: fileOf({ kind, ...m }),
    holds: MAP_MEANINGS[kind],
    bits: m.data instanceof Uint16Array ? 16 : 8,
    ...(range ? { lowest: range[0], highest: range[1] } : {}),
  }));
  return zipSync({
    [`${base}.obj`]: [obj, { level: 6 }],
    [`${base}.mtl`]: [text(new TextDecoder().decode(mtl) + more.join('')), { level: 6 }],
    // Packed already.
    [`${base}.png`]: [png, { level: 0 }],
    ...Object.fromEntries(maps.map((m) => [fileOf(m), [encodeMapPng(m), { level: 0 }]])),
    ...(maps.length > 0 ? { 'maps.json': [text(JSON.stringify(legend, null, 2) + '\n'), { level: 6 }] } : {}),
  });
}

/** How readers of MTL are told of heights: what black is, and how much more white is. */
function displacementLine({ kind, range }: BakedMap, file: string, perMm: number): string[] {
  if (kind !== 'displacement' || !range) return [];
  return [`disp -mm ${perMm * range[0]} ${perMm * (range[1] - range[0])} ${file}\n`];
}
