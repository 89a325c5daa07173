import { crc32c, writePackage } from '@amber-knit/core/io';
import { createRandom, type Random } from '@amber-knit/core/math';
import type { WholeFile } from './whole-files.js';

/** What numbers in text are replaced by. */
const WORDS = ['-1', '0', '1e999', '-1e38', '4294967296', '9007199254740993', 'NaN', 'inf', '', '0x10', '9'.repeat(40)];
/** What four bytes are replaced by: whole numbers and floats at their limits. */
const QUADS = [0, 1, 0x7fffffff, 0x80000000, 0xffffffff, 0x7fc00000, 0x7f800000, 0x7f7fffff, 0x3f800000, 0x00010000];
const PAGE = 1024;

/** The file of that number: one of the whole files with one to four things done to it, always the same. */
export function spoiltFile(files: readonly WholeFile[], number: number): { name: string; bytes: Uint8Array } {
  const random = createRandom(number + 1);
  const file = files[number % files.length];
  const times = 1 + Math.floor(4 * random());
  if (file.parts) {
    const parts = file.parts.map((p) => ({ ...p }));
    const part = parts[Math.floor(random() * parts.length)];
    const bytes = typeof part.content === 'string' ? new TextEncoder().encode(part.content) : part.content;
    part.content = spoilt(bytes, times, random);
    const whole = writePackage(parts);
    // Now and then it is the zip itself that is broken.
    return { name: file.name, bytes: random() < 0.2 ? spoilt(whole, 1, random) : whole };
  }
  const bytes = spoilt(file.bytes!, times, random);
  return { name: file.name, bytes: file.paged && random() < 0.8 ? sealed(bytes) : bytes };
}

function spoilt(whole: Uint8Array, times: number, random: Random): Uint8Array {
  let bytes: Uint8Array = whole.slice();
  for (let t = 0; t < times; t++) bytes = WAYS[Math.floor(random() * WAYS.length)](bytes, random);
  return bytes;
}

/** A place in the file; every other time near its beginning, where what it says of itself stands. */
const place = (n: number, random: Random): number =>
  Math.floor(random() * (random() < 0.5 ? Math.min(n, 600) : Math.max(1, n)));

const WAYS: ((bytes: Uint8Array, random: Random) => Uint8Array)[] = [
  function turnedBytes(bytes, random) {
    const count = 1 + Math.floor(16 * random() ** 3);
    for (let k = 0; k < count; k++) bytes[place(bytes.length, random)] ^= 1 << Math.floor(8 * random());
    return bytes;
  },
  function cutOff(bytes, random) {
    return bytes.slice(0, place(bytes.length, random));
  },
  function missingPiece(bytes, random) {
    const at = place(bytes.length, random);
    const gone = Math.floor(64 * random());
    return joined(bytes.subarray(0, at), bytes.subarray(at + gone));
  },
  function doubledPiece(bytes, random) {
    const at = place(bytes.length, random);
    const end = at + Math.floor(random() * Math.min(2000, bytes.length - at));
    return joined(bytes.subarray(0, end), bytes.subarray(at));
  },
  function limitNumber(bytes, random) {
    const at = place(bytes.length - 4, random);
    if (at >= 0 && at + 4 <= bytes.length)
      new DataView(bytes.buffer, bytes.byteOffset).setUint32(at, QUADS[Math.floor(random() * QUADS.length)], true);
    return bytes;
  },
  function otherWord(bytes, random) {
    // The number in text that stands behind the place, if there is one.
    let at = place(bytes.length, random);
    const isDigit = (b: number): boolean => b >= 48 && b <= 57;
    const last = Math.min(bytes.length, at + 400);
    while (at < last && !isDigit(bytes[at])) at++;
    let end = at;
    while (end < bytes.length && isDigit(bytes[end])) end++;
    const word = new TextEncoder().encode(WORDS[Math.floor(random() * WORDS.length)]);
    return joined(bytes.subarray(0, at), word, bytes.subarray(end));
  },
  function swappedLines(bytes, random) {
    const text = new TextDecoder('latin1').decode(bytes.subarray(0, 1500));
    const lines = text.split('\n');
    if (lines.length < 3) return bytes;
    const [i, j] = [0, 0].map(() => Math.floor(random() * (lines.length - 1)));
    [lines[i], lines[j]] = [lines[j], lines[i]];
    return joined(
      Uint8Array.from(lines.join('\n'), (c) => c.charCodeAt(0)),
      bytes.subarray(1500),
    );
  },
];

function joined(...parts: Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

/** The pages' checksums made right again (ASTM E2807: 1024 bytes, the last four a CRC-32C, highest byte first). */
function sealed(bytes: Uint8Array): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset);
  for (let from = 0; from + PAGE <= bytes.length; from += PAGE)
    view.setUint32(from + PAGE - 4, crc32c(bytes, from, from + PAGE - 4), false);
  return bytes;
}
