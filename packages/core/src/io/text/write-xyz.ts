import { pointCount, type PointCloud } from '../../geometry/point-cloud.js';

/** Decimals of coordinates in text; normals have as many. */
const DECIMALS = 4;
/** Lines that are put into bytes at a time. */
const CHUNK = 20_000;

/** Points as text, one a line: x y z, then r g b, then the normal, as the cloud has them; 4 decimals. O(n). */
export function writeXyz(cloud: PointCloud): Uint8Array {
  const n = pointCount(cloud);
  const { positions, normals, colors } = cloud;
  const parts: Uint8Array[] = [];
  const encoder = new TextEncoder();
  const three = (a: Float32Array, i: number): string =>
    `${a[3 * i].toFixed(DECIMALS)} ${a[3 * i + 1].toFixed(DECIMALS)} ${a[3 * i + 2].toFixed(DECIMALS)}`;
  for (let from = 0; from < n; from += CHUNK) {
    let text = '';
    for (let i = from; i < Math.min(n, from + CHUNK); i++) {
      text += three(positions, i);
      if (colors) text += ` ${colors[3 * i]} ${colors[3 * i + 1]} ${colors[3 * i + 2]}`;
      text += normals ? ` ${three(normals, i)}\n` : '\n';
    }
    parts.push(encoder.encode(text));
  }
  const out = new Uint8Array(parts.reduce((s, p) => s + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}
