import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { loadInputs } from './load-inputs.js';

const dir = mkdtempSync(join(tmpdir(), 'amberknit-inputs-'));
afterAll(() => rmSync(dir, { recursive: true }));

const OPTIONS = { viewpoint: 'auto' } as const;

/** Points of a saddle as text. */
const saddle = Array.from({ length: 200 }, (_, i) => {
  const [x, y] = [i % 10, Math.floor(i / 10)];
  return `${5 * x} ${5 * y} ${(x * y) / 3}`;
}).join('\n');

function folder(name: string, ...files: string[]): string {
  const path = join(dir, name);
  mkdirSync(path);
  for (const f of files) writeFileSync(join(path, f), saddle);
  return path;
}

const upright = folder('upright', 'a.xyz', 'b.xyz');
const onItsSide = folder('on its side', 'a.xyz');

test('scans in several folders have these as their setups, and names of their own', async () => {
  const { scans } = await loadInputs([upright, onItsSide], OPTIONS);
  expect(scans.map((s) => [s.name, s.setup])).toEqual([
    ['a', 'upright'],
    ['b', 'upright'],
    ['a_2', 'on its side'],
  ]);
});

test('a single folder says nothing of how the object lay', async () => {
  const { scans } = await loadInputs([upright], OPTIONS);
  expect(scans.map((s) => s.setup)).toEqual([undefined, undefined]);
  const named = await loadInputs([join(upright, 'a.xyz'), join(upright, 'b.xyz')], OPTIONS);
  expect(named.scans.map((s) => s.setup)).toEqual([undefined, undefined]);
});

test('what is not there is named', async () => {
  await expect(loadInputs([join(dir, 'never')], OPTIONS)).rejects.toMatchObject({ input: join(dir, 'never') });
  await expect(loadInputs([folder('empty')], OPTIONS)).rejects.toThrow(/no scan files found/);
});
