import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { STOPS } from '../src/pages/bench/tour-stops';
import { PLACES } from '../src/stages/places';

/** What leads to parts of the interface by their names, held against the interface as it is written. */

const root = fileURLToPath(new URL('../src', import.meta.url));
const sources = readdirSync(root, { recursive: true, encoding: 'utf8' })
  .filter((f) => f.endsWith('.tsx') && !f.endsWith('.test.tsx'))
  .map((f) => readFileSync(join(root, f), 'utf8'))
  .join('\n');

test('every part of a panel that can be found by words stands there under its name', () => {
  const lost = PLACES.map((p) => p.region ?? p.title).filter((r) => !sources.includes(`<section aria-label="${r}"`));
  expect(lost).toEqual([]);
});

test('every part of the bench that the look round goes to is there', () => {
  const names = STOPS.map((s) => /"([^"]+)"/.exec(s.at)![1]);
  expect(names.filter((n) => !sources.includes(n))).toEqual([]);
});
