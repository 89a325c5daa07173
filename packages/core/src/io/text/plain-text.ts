import { firstBytes, sourceOf, type Bytes, type ByteSource } from '../byte-source.js';

/** What stands for a character that a list of numbers has no use for. */
const OTHER = '?'.charCodeAt(0);

/**
 * A text in an encoding whose first 128 characters are single bytes: as it is, or taken from UTF-16 (which begins with
 * its byte order mark; The Unicode Standard, §23.8) while it is read. Characters beyond the first 128 become "?".
 */
export function plainText(bytes: Bytes): Bytes {
  const [first, second] = firstBytes(bytes, 2);
  const low = first === 0xff && second === 0xfe ? 0 : first === 0xfe && second === 0xff ? 1 : undefined;
  return low === undefined ? bytes : narrowed(sourceOf(bytes), low);
}

/** @param low which byte of each two holds the lower half */
function narrowed(wide: ByteSource, low: 0 | 1): ByteSource {
  return {
    size: Math.max(0, (wide.size >> 1) - 1),
    read(at, into) {
      const pairs = new Uint8Array(2 * into.length);
      const held = wide.read(2 + 2 * at, pairs) >> 1;
      for (let i = 0; i < held; i++) {
        const c = pairs[2 * i + low];
        into[i] = pairs[2 * i + 1 - low] === 0 && c < 128 ? c : OTHER;
      }
      return held;
    },
  };
}
