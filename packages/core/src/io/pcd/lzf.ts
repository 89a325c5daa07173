import { GeometryError } from '../../runtime/geometry-error.js';

/**
 * Unpacks LZF: runs of literals and references back into what was unpacked already.
 * Source: M. Lehmann (2000), LibLZF, the format's description.
 * @throws GeometryError `corrupt-file` if the stream does not give exactly `length` bytes
 */
export function unpackLzf(packed: Uint8Array, length: number): Uint8Array {
  const broken = (): GeometryError =>
    new GeometryError('corrupt-file', 'The compressed part of the file is damaged. Export or copy it again.');
  // Three bytes give 264 at most: anything beyond is no stream of this kind, whatever its head says.
  if (length > 88 * packed.length) throw broken();
  const out = new Uint8Array(length);
  let i = 0;
  let o = 0;
  while (i < packed.length) {
    const control = packed[i++];
    if (control < 32) {
      const run = control + 1;
      if (i + run > packed.length || o + run > length) throw broken();
      out.set(packed.subarray(i, i + run), o);
      i += run;
      o += run;
      continue;
    }
    let run = control >> 5;
    if (run === 7) run += packed[i++] ?? 0;
    run += 2;
    let from = o - ((control & 31) << 8) - (packed[i++] ?? 0) - 1;
    if (i > packed.length || from < 0 || o + run > length) throw broken();
    // The reference may run into what it writes: byte by byte.
    while (run-- > 0) out[o++] = out[from++];
  }
  if (o !== length) throw broken();
  return out;
}
