import { pointCount, type PointCloud } from '../geometry/point-cloud.js';

/** Decimals of coordinates in text; normals have as many. */
const DECIMALS = 4;
/** Lines that are put into bytes at a time. */
const CHUNK = 20_000;

/**
 * PCD 0.7, binary little-endian: x y z, normals and packed colours where the cloud has them. O(n).
 * Source: the Point Cloud Library's documentation, "The PCD file format" (R. Rusu, S. Cousins 2011).
 */
export function writePcd(cloud: PointCloud): Uint8Array {
  const n = pointCount(cloud);
  const { positions, normals, colors } = cloud;
  const fields = ['x', 'y', 'z', ...(normals ? ['normal_x', 'normal_y', 'normal_z'] : []), ...(colors ? ['rgb'] : [])];
  const each = (word: string): string => fields.map(() => word).join(' ');
  const head = new TextEncoder().encode(
    [
      '# .PCD v0.7 - Point Cloud Data file format',
      'VERSION 0.7',
      `FIELDS ${fields.join(' ')}`,
      `SIZE ${each('4')}`,
      `TYPE ${each('F')}`,
      `COUNT ${each('1')}`,
      `WIDTH ${n}`,
      'HEIGHT 1',
      'VIEWPOINT 0 0 0 1 0 0 0',
      `POINTS ${n}`,
      'DATA binary',
      '',
    ].join('\n'),
  );
  const out = new Uint8Array(head.length + 4 * fields.length * n);
  out.set(head);
  const view = new DataView(out.buffer);
  let at = head.length;
  for (let i = 0; i < n; i++) {
    for (const a of [positions, normals]) {
      if (!a) continue;
      for (let k = 0; k < 3; k++, at += 4) view.setFloat32(at, a[3 * i + k], true);
    }
    if (!colors) continue;
    // The bytes of the colour stand in the bits of a float.
    view.setUint32(at, (colors[3 * i] << 16) | (colors[3 * i + 1] << 8) | colors[3 * i + 2], true);
    at += 4;
  }
  return out;
}

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
