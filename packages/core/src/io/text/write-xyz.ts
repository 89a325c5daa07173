import { TextBytes } from './text-bytes.js';
import { pointCount, type PointCloud } from '../../geometry/point-cloud.js';

/** Decimals of coordinates in text; normals have as many. */
const DECIMALS = 4;

/** Points as text, one a line: x y z, then r g b, then the normal, as the cloud has them; 4 decimals. O(n). */
export function writeXyz(cloud: PointCloud): Uint8Array {
  const n = pointCount(cloud);
  const { positions, normals, colors } = cloud;
  const out = new TextBytes();
  const three = (a: Float32Array, i: number): string =>
    `${a[3 * i].toFixed(DECIMALS)} ${a[3 * i + 1].toFixed(DECIMALS)} ${a[3 * i + 2].toFixed(DECIMALS)}`;
  for (let i = 0; i < n; i++) {
    out.add(three(positions, i));
    if (colors) out.add(` ${colors[3 * i]} ${colors[3 * i + 1]} ${colors[3 * i + 2]}`);
    out.add(normals ? ` ${three(normals, i)}\n` : '\n');
  }
  return out.toBytes();
}
