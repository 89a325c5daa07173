import { readE57 } from '@amber-knit/core/io';
import { readSpoilt } from './read-spoilt.js';
import { spoiltFile } from './spoil.js';
import { wholeFiles } from './whole-files.js';

/** Two of every kind in both ways; many more by command (docs/figures.md). */
const ROUNDS = 4;

test('whole files are read as they are', async () => {
  const files = await wholeFiles();
  expect(new Set(files.map((f) => f.name)).size).toBe(files.length);
  expect(readE57(files.find((f) => f.paged)!.bytes!)).toHaveLength(2);
});

test('the same number is the same file, another number another', async () => {
  const files = await wholeFiles();
  for (let n = 0; n < files.length; n++) {
    const again = spoiltFile(files, n);
    expect(spoiltFile(files, n)).toEqual(again);
    expect(spoiltFile(files, n + files.length).bytes).not.toEqual(again.bytes);
  }
});

test.each([
  ['numbers behind the end', 63_184],
  ['a kind of numbers that there is not, packed', 63_167],
  ['the same, left out', 65_143],
])('what was not said in words once: glTF with %s', async (_, number) => {
  expect(await readSpoilt(await wholeFiles(), number)).toBe('refused');
});

test('spoilt files are read or refused in words', async () => {
  const files = await wholeFiles();
  const counts = { read: 0, refused: 0 };
  for (let n = 0; n < ROUNDS * files.length; n++) counts[await readSpoilt(files, n)]++;
  // Some damage does not matter, most does.
  expect(counts.read).toBeGreaterThan(0);
  expect(counts.refused).toBeGreaterThan(counts.read);
}, 120_000);
