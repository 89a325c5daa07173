import { LIGHT_OF_SRGB } from './srgb.js';
import type { TexturedMesh, TriangleMesh } from './triangle-mesh.js';

/** A surface without any colours is grey. */
const PLAIN = LIGHT_OF_SRGB[200];

/** Adds the light (0–1, three channels) of a place of the surface to `out`: a triangle and the shares of its second and third corner. */
export type ColorReader = (triangle: number, v: number, w: number, out: Float64Array) => void;

/** Reads the colour of a surface: from its map, between four texels; else from its vertices; else a plain grey. */
export function colorReader(mesh: TriangleMesh | TexturedMesh): ColorReader {
  if ('cornerUvs' in mesh) return mapReader(mesh);
  const { colors, indices } = mesh;
  if (!colors)
    return (_t, _v, _w, out) => {
      for (let k = 0; k < 3; k++) out[k] += PLAIN;
    };
  return (t, v, w, out) => {
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    const u = 1 - v - w;
    for (let k = 0; k < 3; k++)
      out[k] += u * LIGHT_OF_SRGB[colors[a + k]] + v * LIGHT_OF_SRGB[colors[b + k]] + w * LIGHT_OF_SRGB[colors[c + k]];
  };
}

function mapReader({ cornerUvs: q, texture: { width, height, data } }: TexturedMesh): ColorReader {
  return (t, v, w, out) => {
    const at = 6 * t;
    const u = 1 - v - w;
    const x = (u * q[at] + v * q[at + 2] + w * q[at + 4]) * width - 0.5;
    const y = (1 - (u * q[at + 1] + v * q[at + 3] + w * q[at + 5])) * height - 0.5;
    const x0 = Math.max(0, Math.min(width - 1, Math.floor(x)));
    const y0 = Math.max(0, Math.min(height - 1, Math.floor(y)));
    const x1 = Math.min(width - 1, x0 + 1);
    const y1 = Math.min(height - 1, y0 + 1);
    const fx = Math.max(0, Math.min(1, x - x0));
    const fy = Math.max(0, Math.min(1, y - y0));
    for (let k = 0; k < 3; k++) {
      const top =
        (1 - fx) * LIGHT_OF_SRGB[data[3 * (y0 * width + x0) + k]] + fx * LIGHT_OF_SRGB[data[3 * (y0 * width + x1) + k]];
      const low =
        (1 - fx) * LIGHT_OF_SRGB[data[3 * (y1 * width + x0) + k]] + fx * LIGHT_OF_SRGB[data[3 * (y1 * width + x1) + k]];
      out[k] += (1 - fy) * top + fy * low;
    }
  };
}
