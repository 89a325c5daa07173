import { readFileSync } from 'node:fs';
import { createRunContext } from '@amber-knit/core/runtime';
import { cleanNearest } from '../test/clean-nearest.js';
import {
  describeFigures,
  paramFields,
  parseParamText,
  pieceStats,
  runOperation,
  type Figures,
  type Operation,
} from './index.js';

/** The worked example of CONTRIBUTING.md: one file, and one line in the catalogue, are all that an operation needs. */
const example = cleanNearest as unknown as Operation;
const scans = [{ name: 'far', cloud: { positions: Float32Array.from([1, 0, 0, 0, 2, 0, 0, 0, 900]) } }];

test('the examples of CONTRIBUTING.md are those that are tested', () => {
  const read = (path: string): string => readFileSync(new URL(path, import.meta.url), 'utf8');
  const file = read('../test/clean-nearest.ts').replaceAll("'../src/", "'./");
  const overlay = read('../../../apps/web/test/place-overlay.tsx');
  const guide = read('../../../CONTRIBUTING.md');
  expect(guide).toContain(file.trim());
  expect(guide).toContain(overlay.slice(overlay.indexOf('/** Tells')).trim());
});

test('it has a form with suggestions and reasons, a command line, figures, a line in the ledger and a cell', async () => {
  const fields = paramFields(example.params);
  expect(fields.map((f) => [f.title, f.unit])).toEqual([
    ['Scans', undefined],
    ['Farthest', 'mm'],
  ]);
  const stats = pieceStats({ scans });
  expect(Object.keys(example.because!(stats))).toEqual(Object.keys(example.suggest(stats)));
  const farthest = parseParamText(fields, 'farthest', '100');
  const { figures, outputs } = await runOperation(example, { scans }, { farthest }, createRunContext());
  expect(outputs.scans![0].cloud.positions).toHaveLength(6);
  expect(example.summarize(figures)).toBe('1 points left out in 1 scans');
  expect(example.cell!(figures)).toEqual({ figure: '1 less', detail: '' });
  expect(describeFigures(example.figures, figures as Figures).map((f) => `${f.label}: ${f.text}`)).toEqual([
    'Points left out: 1',
    'Scans: 1',
  ]);
});
