import { vertexCount, type TriangleMesh } from '../../geometry/triangle-mesh.js';
import { TextBytes } from '../text/text-bytes.js';

/**
 * Writes OFF, the object file format, as text; `COFF` with colours where the mesh has them. Coordinates are in `unit`
 * already, which a comment tells: the format knows none. Source: M. Phillips et al. (1992), Geomview manual, section OFF.
 */
export function writeOff(mesh: TriangleMesh, unit = 'mm'): Uint8Array {
  const { positions: p, indices, colors } = mesh;
  const n = vertexCount(mesh);
  const out = new TextBytes();
  out.add(`${colors ? 'COFF' : 'OFF'}\n# unit ${unit}, Z up\n${n} ${indices.length / 3} 0\n`);
  for (let v = 0; v < n; v++) {
    out.add(`${p[3 * v]} ${p[3 * v + 1]} ${p[3 * v + 2]}`);
    out.add(colors ? ` ${colors[3 * v]} ${colors[3 * v + 1]} ${colors[3 * v + 2]} 255\n` : '\n');
  }
  for (let t = 0; t < indices.length; t += 3) out.add(`3 ${indices[t]} ${indices[t + 1]} ${indices[t + 2]}\n`);
  return out.toBytes();
}
