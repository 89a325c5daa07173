/** PLY, the polygon file format. Source: G. Turk (1994), The PLY polygon file format. */

/** What can be written to PLY; `extra` are further per-vertex properties by name, bytes, floats or whole numbers of 32 bits. */
export interface PlyContent {
  positions: Float32Array;
  normals?: Float32Array;
  colors?: Uint8Array;
  indices?: Uint32Array;
  extra?: Record<string, Uint8Array | Float32Array | Uint32Array>;
  comments?: string[];
}

/** Writes binary little-endian PLY (ascii on request). Lengths are millimetres unless the caller has scaled them. */
export function writePly(
  content: PlyContent,
  format: 'binary_little_endian' | 'ascii' = 'binary_little_endian',
): Uint8Array {
  const n = content.positions.length / 3;
  const m = content.indices ? content.indices.length / 3 : 0;
  const extra = Object.entries(content.extra ?? {});
  const lines = [
    'ply',
    `format ${format} 1.0`,
    ...(content.comments ?? []).map((c) => `comment ${c}`),
    `element vertex ${n}`,
  ];
  for (const a of ['x', 'y', 'z']) lines.push(`property float ${a}`);
  if (content.normals) for (const a of ['nx', 'ny', 'nz']) lines.push(`property float ${a}`);
  if (content.colors) for (const a of ['red', 'green', 'blue']) lines.push(`property uchar ${a}`);
  for (const [name, values] of extra)
    lines.push(
      `property ${values instanceof Uint8Array ? 'uchar' : values instanceof Uint32Array ? 'uint' : 'float'} ${name}`,
    );
  if (content.indices) lines.push(`element face ${m}`, 'property list uchar int vertex_indices');
  lines.push('end_header', '');
  const head = new TextEncoder().encode(lines.join('\n'));
  if (format === 'ascii') {
    const rows: string[] = [];
    for (let i = 0; i < n; i++) {
      const row: number[] = [];
      for (const a of [content.positions, content.normals, content.colors])
        if (a) row.push(a[3 * i], a[3 * i + 1], a[3 * i + 2]);
      for (const [, values] of extra) row.push(values[i]);
      rows.push(row.join(' '));
    }
    for (let t = 0; t < m; t++) rows.push(`3 ${content.indices!.slice(3 * t, 3 * t + 3).join(' ')}`);
    const body = new TextEncoder().encode(rows.join('\n') + '\n');
    const out = new Uint8Array(head.length + body.length);
    out.set(head);
    out.set(body, head.length);
    return out;
  }
  const stride =
    12 +
    (content.normals ? 12 : 0) +
    (content.colors ? 3 : 0) +
    extra.reduce((sum, [, values]) => sum + values.BYTES_PER_ELEMENT, 0);
  const out = new Uint8Array(head.length + n * stride + m * 13);
  out.set(head);
  const view = new DataView(out.buffer);
  let at = head.length;
  for (let i = 0; i < n; i++) {
    for (const a of [content.positions, content.normals]) {
      if (!a) continue;
      for (let k = 0; k < 3; k++, at += 4) view.setFloat32(at, a[3 * i + k], true);
    }
    if (content.colors) for (let k = 0; k < 3; k++) out[at++] = content.colors[3 * i + k];
    for (const [, values] of extra) {
      if (values instanceof Uint8Array) out[at] = values[i];
      else if (values instanceof Uint32Array) view.setUint32(at, values[i], true);
      else view.setFloat32(at, values[i], true);
      at += values.BYTES_PER_ELEMENT;
    }
  }
  for (let t = 0; t < m; t++) {
    out[at++] = 3;
    for (let k = 0; k < 3; k++, at += 4) view.setInt32(at, content.indices![3 * t + k], true);
  }
  return out;
}
