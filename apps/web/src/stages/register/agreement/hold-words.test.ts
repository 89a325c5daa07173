import type { PieceView, ScanView, StepView } from '@amber-knit/contracts';
import { freedomWords, lastFit, loosestOf, pairsOf, verdictOf } from './hold-words';

/** A scan held like a flat face: ± 0.4 mm along X, else ± 0.01 mm. */
const covariance = Array.from({ length: 36 }, (_, k) => (k % 7 !== 0 ? 0 : k === 21 ? 0.16 : k < 15 ? 1e-8 : 1e-4));

function scan(name: string, changes: Partial<ScanView['placement']> = {}): ScanView {
  return {
    name,
    placement: { name, state: 'registered', pieceFromScan: [], neighbours: [], ...changes },
  } as unknown as ScanView;
}

function piece(scanList: ScanView[], doubts: PieceView['doubts'] = []): PieceView {
  return { scanList, doubts } as unknown as PieceView;
}

const pair = (name: string, rms: number): { name: string; rms: number; overlapRatio: number } => ({
  name,
  rms,
  overlapRatio: 0.5,
});

test('the loosest motion in words', () => {
  const uncertainty = { centre: [0, 0, 0] as [number, number, number], radius: 50, covariance };
  const loosest = loosestOf(scan('a', { uncertainty }))!;
  expect(freedomWords(loosest)).toBe('± 0.400 mm sliding along X');
  const turning = covariance.map((v, k) => (k === 14 ? 0.0001 : k === 21 ? 1e-4 : v));
  const turn = loosestOf(scan('a', { uncertainty: { ...uncertainty, covariance: turning } }))!;
  expect(freedomWords(turn)).toBe('± 0.500 mm turning about Z');
});

test('each pair counts once, and only with scans that have a place', () => {
  const list = [
    scan('a', { neighbours: [pair('b', 0.05), pair('gone', 0.05)] }),
    scan('b', { neighbours: [pair('a', 0.05)] }),
    scan('gone', { state: 'excluded', neighbours: [pair('a', 0.05)] }),
  ];
  expect(pairsOf(piece(list)).map((p) => `${p.a}-${p.b}`)).toEqual(['a-b']);
});

test('the verdict names what is loose, in doubt, unusual or not at rest', () => {
  const good = [scan('a', { neighbours: [pair('b', 0.05)] }), scan('b')];
  expect(verdictOf(piece(good), undefined)).toMatchObject({ good: true, title: 'They hold together' });
  const doubt = { scans: ['b'], reason: 'loosely' as const, places: [] };
  const bad = verdictOf(
    piece(
      [
        scan('a', { neighbours: [pair('b', 0.05), pair('c', 0.05), pair('d', 0.4)] }),
        scan('b', { state: 'placed' }),
        scan('c'),
        scan('d'),
        scan('e', { state: 'loose' }),
      ],
      [doubt],
    ),
    { figures: { convergence: [1, 0.3] } } as unknown as StepView,
  );
  expect(bad?.good).toBe(false);
  expect(bad?.reasons).toEqual([
    'e has no place yet.',
    'b is held only loosely.',
    'a and d fit 8.0 times worse than most: 0.400 mm.',
    'The fit has not come to rest (0.300 mm in its last round): fit together again.',
  ]);
  expect(verdictOf(piece([scan('a')]), undefined)).toBeUndefined();
});

test('a scan that is only placed, without a doubt of its own, is no whole registration', () => {
  const verdict = verdictOf(
    piece([scan('a', { neighbours: [pair('b', 0.05)] }), scan('b', { state: 'placed' })]),
    undefined,
  );
  expect(verdict?.good).toBe(false);
  expect(verdict?.reasons[0]).toBe('b is placed and not registered: nothing has confirmed its place yet.');
});

test('the last fit is the step that fitted the places that stand, not one that moved nothing after it', () => {
  const step = (id: string, inputs: string[], figures: StepView['figures']): StepView =>
    ({ id, stage: 'register', inputs, outputs: [`${id} made`], figures }) as unknown as StepView;
  const steps = [
    step('first', ['cloud'], { rms: 0.2 }),
    step('second', ['cloud', 'first made'], { rms: 0.1 }),
    step('lock', ['second made'], { scans: 1, locked: true }),
    step('unlock', ['lock made'], { scans: 1, locked: false }),
  ];
  const standing = (stepId: string): PieceView => ({ placements: { stepId } }) as unknown as PieceView;
  expect(lastFit(standing('unlock'), steps)?.id).toBe('second');
  expect(lastFit(standing('first'), steps)?.id).toBe('first');
  expect(lastFit({ placements: null } as unknown as PieceView, steps)).toBeUndefined();
  expect(lastFit(standing('lock'), steps.slice(2))).toBeUndefined();
});
