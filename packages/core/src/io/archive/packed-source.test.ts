import { zipSync } from 'fflate';
import { allBytes, ByteCursor, type ByteSource } from '../byte-source.js';
import { createRandom } from '../../math/index.js';
import { readArchive } from './read-archive.js';
import { readZipDirectory } from './zip-directory.js';

/** Three megabytes that pack to about a half. */
const random = createRandom(4);
const content = Uint8Array.from({ length: 3_000_000 }, (_, i) => (i % 3 === 0 ? 256 * random() : (i >> 8) & 0xff));
const text = (s: string): Uint8Array => new TextEncoder().encode(s);

/** Counts what is read of an archive. */
function watched(bytes: Uint8Array): ByteSource & { taken: number } {
  return {
    taken: 0,
    size: bytes.length,
    read(at, into) {
      const part = bytes.subarray(at, at + into.length);
      into.set(part);
      this.taken += part.length;
      return part.length;
    },
  };
}

describe.each([0, 6] as const)('packed at level %i', (level) => {
  const zip = zipSync({ 'a/big.bin': [content, { level }], 'b.txt': [text('hello'), { level }] });

  test('files come out as they went in, whole or through a window', () => {
    const files = readArchive(zip, 'x.zip');
    expect([...files.keys()]).toEqual(['a/big.bin', 'b.txt']);
    const big = files.get('a/big.bin')!;
    expect(big.size).toBe(content.length);
    expect(Buffer.compare(allBytes(big), content)).toBe(0);
    expect(new TextDecoder().decode(allBytes(files.get('b.txt')!))).toBe('hello');
    const cursor = new ByteCursor(big);
    for (let i = 0; cursor.need(1); i += 997) {
      if (cursor.view.getUint8(cursor.offset) !== content[i]) throw new Error(`byte ${i} differs`);
      cursor.skip(Math.min(997, cursor.left));
    }
  });

  test('parts are found in any order, and past the end there is nothing', () => {
    const big = readArchive(zip, 'x.zip').get('a/big.bin')!;
    for (const at of [2_900_000, 10, 70_000, 1_000_000, 65_530, 0, 2_999_990]) {
      const into = new Uint8Array(50);
      const n = big.read(at, into);
      expect(n).toBe(Math.min(50, content.length - at));
      expect(Buffer.compare(into.subarray(0, n), content.subarray(at, at + n))).toBe(0);
    }
    expect(big.read(content.length + 5, new Uint8Array(10))).toBe(0);
  });

  test('looking at the beginning takes little of the archive, however often', () => {
    const source = watched(zip);
    const big = readArchive(source, 'x.zip').get('a/big.bin')!;
    for (let k = 0; k < 5; k++) big.read(0, new Uint8Array(100));
    expect(source.taken).toBeLessThan(300_000);
  });
});

describe('broken and unusual archives', () => {
  const zip = zipSync({ 'a.bin': [content.subarray(0, 200_000), { level: 6 }] });
  const central = readCentral(zip);

  function readCentral(bytes: Uint8Array): number {
    return new DataView(bytes.buffer).getUint32(bytes.length - 6, true);
  }
  const changed = (at: number, value: number): Uint8Array => {
    const out = zip.slice();
    out[at] = value;
    return out;
  };

  test('damaged data are found when they are read', () => {
    const spoiled = zip.slice();
    spoiled.fill(0xff, 60, 5000);
    const file = readArchive(spoiled, 'x.zip').get('a.bin')!;
    expect(() => allBytes(file)).toThrow(/a.bin can't be unpacked: it is damaged/);
  });

  test.each([
    ['a password', changed(central + 8, 1), /locked with a password/],
    ['a method of its own', changed(central + 10, 99), /method that is not known \(99\)/],
    ['no directory', zip.subarray(0, central), /cut off or damaged/],
    ['a directory outside', changed(zip.length - 5, 0xff), /cut off or damaged/],
    ['a file outside', changed(central + 45, 0x70), /cut off or damaged/],
  ])('%s', (_name, bytes, why) => {
    expect(() => readArchive(bytes, 'x.zip')).toThrow(why);
  });

  test('sizes and places of 64 bits', () => {
    // The same archive with its numbers where archives over 4 GB have them (APPNOTE 4.3.14, 4.3.15, 4.5.3).
    const [entry] = readZipDirectory(zip);
    const out = new DataView(new ArrayBuffer(zip.length + 28 + 56 + 20));
    const bytes = new Uint8Array(out.buffer);
    const name = central + 46 + 'a.bin'.length;
    bytes.set(zip.subarray(0, name));
    [20, 24, 42].forEach((k) => out.setUint32(central + k, 0xffffffff, true));
    out.setUint16(central + 30, 28, true);
    out.setUint16(name, 1, true);
    out.setUint16(name + 2, 24, true);
    [entry.size, entry.packedSize, entry.at].forEach((v, k) => out.setBigUint64(name + 4 + 8 * k, BigInt(v), true));
    const end64 = name + 28;
    out.setUint32(end64, 0x06064b50, true);
    out.setBigUint64(end64 + 40, BigInt(end64 - central), true);
    out.setBigUint64(end64 + 48, BigInt(central), true);
    out.setUint32(end64 + 56, 0x07064b50, true);
    out.setBigUint64(end64 + 64, BigInt(end64), true);
    const end = end64 + 76;
    bytes.set(zip.subarray(zip.length - 22), end);
    out.setUint32(end + 16, 0xffffffff, true);
    expect(readZipDirectory(bytes)).toEqual([entry]);
    expect(Buffer.compare(allBytes(readArchive(bytes, 'x').get('a.bin')!), content.subarray(0, 200_000))).toBe(0);
  });
});
