import { pointCount, type PointCloud } from '../../geometry/point-cloud.js';

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
