import { readScanFile, readScanFiles } from './read-scan-files.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);

test('empty files, other packers and unknown kinds are refused by name', async () => {
  await expect(readScanFiles(new Uint8Array(0), 'a.ply')).rejects.toThrow(/a.ply is empty/);
  await expect(readScanFiles(Uint8Array.from([0x50, 0x4b, 3, 4, 0]), 'a.zip')).rejects.toThrow(/cut off or damaged/);
  expect(() => readScanFile(Uint8Array.from([0x1f, 0x8b, 8, 0]), 'a.gz')).toThrow(/packed as gzip/);
  expect(() => readScanFile(text('whatever'), 'a.doc')).toThrow(/no known kind/);
});
