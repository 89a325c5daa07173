/**
 * CRC-32C, reflected, as the pages of an E57 file carry it.
 * Source: G. Castagnoli, S. Bräuer, M. Herrmann (1993), Optimization of cyclic redundancy-check codes; parameters as in
 * RFC 3720 (2004), appendix B.4. Four bytes at a time after M. Kounavis, F. Berry (2005), A systematic approach to
 * building high performance software-based CRC generators.
 */
const POLYNOMIAL = 0x82f63b78;
const TABLES = new Uint32Array(4 * 256);
for (let i = 0; i < 256; i++) {
  let c = i;
  for (let k = 0; k < 8; k++) c = c & 1 ? (c >>> 1) ^ POLYNOMIAL : c >>> 1;
  TABLES[i] = c;
}
for (let i = 256; i < TABLES.length; i++) TABLES[i] = (TABLES[i - 256] >>> 8) ^ TABLES[TABLES[i - 256] & 255];

/** The checksum of `bytes` from `from` up to `to`. O(n). */
export function crc32c(bytes: Uint8Array, from = 0, to = bytes.length): number {
  let c = 0xffffffff;
  let i = from;
  for (; i + 4 <= to; i += 4) {
    c ^= bytes[i] | (bytes[i + 1] << 8) | (bytes[i + 2] << 16) | (bytes[i + 3] << 24);
    c = TABLES[768 + (c & 255)] ^ TABLES[512 + ((c >>> 8) & 255)] ^ TABLES[256 + ((c >>> 16) & 255)] ^ TABLES[c >>> 24];
  }
  for (; i < to; i++) c = (c >>> 8) ^ TABLES[(c ^ bytes[i]) & 255];
  return ~c >>> 0;
}
