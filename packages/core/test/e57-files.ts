import { PageWriter } from '../src/io/e57/pages.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);

/** A picture for `packedFile`: its content, and the node that it stands in, given the attributes of its blob. */
export interface PictureInFile {
  bytes: Uint8Array;
  around: (blob: string) => string;
}

/** A file with one scan of packed whole numbers, made by hand from the standard's layout. */
export function packedFile(
  fields: string,
  streams: number[][],
  count: number,
  split: number,
  more: { pictures?: PictureInFile[]; inScan?: string } = {},
): Uint8Array {
  const pages = new PageWriter();
  const pictures = (more.pictures ?? []).map(({ bytes, around }) => {
    pages.align();
    const blob = new DataView(new ArrayBuffer(16));
    blob.setBigUint64(8, BigInt(16 + bytes.length), true);
    const at = pages.physical();
    pages.write(new Uint8Array(blob.buffer));
    pages.write(bytes);
    return around(`type="Blob" fileOffset="${at}" length="${bytes.length}"`);
  });
  pages.align();
  const at = pages.physical();
  const packet = (parts: number[][]): Uint8Array => {
    const head = 6 + 2 * parts.length;
    const size = 4 * Math.ceil((head + parts.reduce((s, p) => s + p.length, 0)) / 4);
    const out = new Uint8Array(size);
    const view = new DataView(out.buffer);
    out[0] = 1;
    view.setUint16(2, size - 1, true);
    view.setUint16(4, parts.length, true);
    parts.forEach((p, k) => view.setUint16(6 + 2 * k, p.length, true));
    out.set(parts.flat(), head);
    return out;
  };
  // The streams are cut anywhere: a value may begin in one packet and end in the next.
  const packets = [streams.map((s) => s.slice(0, split)), streams.map((s) => s.slice(split))].map(packet);
  const header = new DataView(new ArrayBuffer(32));
  header.setUint8(0, 1);
  header.setBigUint64(8, BigInt(32 + packets[0].length + packets[1].length), true);
  header.setBigUint64(16, BigInt(pages.physical(32)), true);
  pages.write(new Uint8Array(header.buffer));
  packets.forEach((p) => pages.write(p));
  return pages.finish(
    text(
      `<?xml version="1.0" encoding="UTF-8"?><e57Root type="Structure" xmlns="http://www.astm.org/COMMIT/E57/2010-e57-v1.0">
<formatName type="String"><![CDATA[ASTM E57 3D Imaging Data File]]></formatName><guid type="String">{1}</guid>
<versionMajor type="Integer">1</versionMajor><versionMinor type="Integer">0</versionMinor>
<data3D type="Vector" allowHeterogeneousChildren="1"><vectorChild type="Structure"><guid type="String">{2}</guid>${more.inScan ?? ''}
<points type="CompressedVector" fileOffset="${at}" recordCount="${count}"><prototype type="Structure">${fields}</prototype>
<codecs type="Vector" allowHeterogeneousChildren="1"/></points></vectorChild></data3D>
<images2D type="Vector" allowHeterogeneousChildren="1">${pictures.join('')}</images2D></e57Root>`,
    ),
  );
}

/** Values packed low bits first, as the standard has it. */
export function pack(values: bigint[], bits: number): number[] {
  let all = 0n;
  values.forEach((v, i) => (all |= v << BigInt(i * bits)));
  const out: number[] = [];
  for (let k = 0; k < Math.ceil((values.length * bits) / 8); k++) out.push(Number((all >> BigInt(8 * k)) & 255n));
  return out;
}
