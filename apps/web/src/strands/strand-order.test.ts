import type { ScanView } from '@amber-knit/contracts';
import { orderedStrands, tagsIn, tagsOf } from './strand-order';

const scan = (name: string, points: number, state: string, note = ''): ScanView =>
  ({ name, note, setup: 'Upright', cloud: { facts: { points } }, placement: { state } }) as unknown as ScanView;
const scans = [scan('side 10', 5, 'registered'), scan('side 2', 9, 'loose', 'shaky'), scan('foot', 7, 'placed')];
const names = (...a: Parameters<typeof orderedStrands>): string[] => orderedStrands(...a).map((s) => s.name);

test('by arrival, name with numbers, points, and what wants doing first', () => {
  expect(names(scans, 'arrival', '')).toEqual(['side 10', 'side 2', 'foot']);
  expect(names(scans, 'name', '')).toEqual(['foot', 'side 2', 'side 10']);
  expect(names(scans, 'points', '')).toEqual(['side 2', 'foot', 'side 10']);
  expect(names(scans, 'state', '')).toEqual(['side 2', 'foot', 'side 10']);
});

test('the noisiest first, those it is not known of last', () => {
  const noisy = [undefined, 0.02, 0.31].map((noise, i) => {
    const s = scan(`n${i}`, 1, 'loose');
    return { ...s, cloud: { ...s.cloud, facts: (noise === undefined ? {} : { noise }) as Record<string, number> } };
  });
  expect(names(noisy, 'noise', '')).toEqual(['n2', 'n1', 'n0']);
});

test('words are looked for in names, notes and setups', () => {
  expect(names(scans, 'arrival', ' SIDE ')).toEqual(['side 10', 'side 2']);
  expect(names(scans, 'arrival', 'shaky')).toEqual(['side 2']);
  expect(names(scans, 'arrival', 'upright')).toHaveLength(3);
});

test('words with # in notes are tags; strands that have all the wanted ones are shown', () => {
  const tagged = [
    scan('a', 1, 'loose', '#Rim, seen #twice; no. 3#4'),
    scan('b', 1, 'loose', 'the #rim once more #größe-2 #rim'),
    scan('c', 1, 'loose', 'C# and # alone'),
  ];
  expect(tagged.map(tagsOf)).toEqual([['rim', 'twice'], ['rim', 'größe-2'], []]);
  expect(tagsIn(tagged)).toEqual(['größe-2', 'rim', 'twice']);
  expect(names(tagged, 'arrival', '', ['rim'])).toEqual(['a', 'b']);
  expect(names(tagged, 'arrival', 'seen', ['rim', 'twice'])).toEqual(['a']);
});
