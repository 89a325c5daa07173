import { describeFigures, describeParams, figureText, OPERATIONS, paramFields, verdictOn } from './index.js';
import { ChoiceParam, LengthParam, RatioParam } from './params.js';

test('values carry the unit of their kind', () => {
  expect(figureText({ kind: 'length' }, 0.0451)).toBe('0.045 mm');
  expect([1.049, 157.24].map((v) => figureText({ kind: 'length' }, v))).toEqual(['1.05 mm', '157.2 mm']);
  expect([88, 88_070].map((v) => figureText({ kind: 'area' }, v))).toEqual(['88.0 mm²', '880.7 cm²']);
  expect([12, 787_500, 2.5e7].map((v) => figureText({ kind: 'volume' }, v))).toEqual([
    '12.0 mm³',
    '787.5 cm³',
    '25.00 l',
  ]);
  expect(figureText({ kind: 'ratio' }, 0.154)).toBe('15.4 %');
  expect(figureText({ kind: 'angle' }, Math.PI / 6)).toBe('30.00°');
  expect(figureText({ kind: 'count' }, 132_882)).toBe('132,882');
  expect(figureText({ kind: 'count', unit: 'px' }, 2048)).toBe('2,048 px');
  expect([900, 61_000].map((v) => figureText({ kind: 'duration' }, v))).toEqual(['0.9 s', '1 min 1 s']);
  expect([1200, 3.4e6].map((v) => figureText({ kind: 'bytes' }, v))).toEqual(['1 kB', '3.4 MB']);
  expect(figureText({ kind: 'text' }, '')).toBe('–');
  expect(figureText({ kind: 'flag', words: { yes: 'left', no: 'right' } }, false)).toBe('right');
  expect(figureText({ kind: 'curve' }, [3, 2, 1])).toBe('3 values, last 1');
});

test('limits judge upwards and downwards; flags by the value that is wanted', () => {
  const field = { kind: 'ratio', rank: 'detail', label: '', help: '' } as const;
  const tones = (limits: { good: number; bad: number }, values: number[]) =>
    values.map((v) => verdictOn({ ...field, limits }, v)!.tone);
  expect(tones({ good: 0.05, bad: 0.25 }, [0.05, 0.1, 0.25])).toEqual(['good', 'doubtful', 'bad']);
  expect(tones({ good: 0.95, bad: 0.7 }, [0.96, 0.8, 0.7])).toEqual(['good', 'doubtful', 'bad']);
  expect(tones({ good: 0, bad: 1 }, [0, 1, 2])).toEqual(['good', 'bad', 'bad']);
  expect(verdictOn({ ...field, kind: 'flag', good: true }, true)!.tone).toBe('good');
  expect(verdictOn({ ...field, kind: 'flag', good: true }, false)!.tone).toBe('bad');
  expect(verdictOn(field, 3)).toBeUndefined();
});

test('figures come in the order of their definition, those of earlier versions last and in words', () => {
  const fields = {
    b: { kind: 'count', rank: 'headline', label: 'Second', help: 'x' },
    a: { kind: 'length', rank: 'detail', label: 'First', help: 'x' },
  } as const;
  const told = describeFigures(fields, { repairedTriangles: 4, a: 2, b: 1 });
  expect(told.map((f) => [f.label, f.text, f.rank])).toEqual([
    ['Second', '1', 'headline'],
    ['First', '2.00 mm', 'detail'],
    ['Repaired triangles', '4', 'diagnostic'],
  ]);
});

class Params {
  @LengthParam({ title: 'Reach', min: 0, max: 9, help: '' })
  reach = 1;
  @RatioParam({ title: 'Tilt', unit: '°', min: 0, max: 9, help: '', whenEmpty: 'none' })
  tilt = 0;
  @ChoiceParam({ title: 'Shape', help: '', choices: { flat: 'Flat as a skin' } })
  shape = 'flat';
}

test('parameters are told with their titles and units', () => {
  const told = describeParams(paramFields(Params), {
    reach: 0.5,
    tilt: 0,
    shape: 'flat',
    names: ['a', 'b'],
    old: true,
  });
  expect(told.map((p) => [p.label, p.text])).toEqual([
    ['Reach', '0.500 mm'],
    ['Tilt', 'none'],
    ['Shape', 'Flat as a skin'],
    ['Names', 'a, b'],
    ['Old', 'yes'],
  ]);
});

const VALUES: Record<string, unknown> = { text: 'x', flag: true, curve: [1], count: 3, bytes: 5e6 };

test.each(OPERATIONS.map((o) => [o.id, o] as const))('%s says what it tells', (_id, o) => {
  const all = Object.entries(o.figures);
  expect(all.some(([, f]) => f.rank === 'headline')).toBe(true);
  for (const [, { label, help }] of all) {
    expect(label).toMatch(/^[A-Z]/);
    expect(help).toMatch(/\.$/);
  }
  expect(new Set(all.map(([, f]) => f.label)).size).toBe(all.length);
  const values = Object.fromEntries(all.map(([name, f]) => [name, (VALUES[f.kind] ?? 0.5) as never]));
  for (const text of [o.summarize(values), ...Object.values(o.cell?.(values) ?? {})])
    expect(text).not.toMatch(/undefined|NaN|–|\[object/);
  // A ledger of an earlier version may lack any of them.
  expect(Object.values(o.cell?.({}) ?? {}).join()).not.toMatch(/NaN|\[object/);
});
