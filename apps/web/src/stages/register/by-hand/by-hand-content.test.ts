import type { PieceView, ScanView } from '@amber-knit/contracts';
import { byHandBegun, byHandReducer, pairRemoved, placePicked } from '../../../app/by-hand-slice';
import { inScan, inView, scansOfSide } from './by-hand-content';

const TURNED = [0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 10, 20, 30, 1];

function scan(id: string, state: ScanView['placement']['state']): ScanView {
  const cloud = { id: `cloud-${id}`, kind: 'cloud' as const, bytes: 0, facts: { points: 5 }, stepId: null };
  const placement = { name: id, state, pieceFromScan: TURNED };
  return {
    id,
    name: id,
    setup: '',
    colorIndex: 0,
    frames: 0,
    note: '',
    droppedFrames: [],
    framesId: null,
    coverage: [],
    cloud,
    original: cloud,
    placement,
  };
}

beforeAll(() => {
  (globalThis as { document?: unknown }).document = { documentElement: { dataset: { theme: 'light' } } };
});

test('one side shows the scan that moves as its sensor saw it, the other what stays', () => {
  const piece = { scanList: [scan('a', 'loose'), scan('b', 'registered'), scan('c', 'placed'), scan('d', 'loose')] };
  const ids = (onto: string, side: 'from' | 'onto') =>
    scansOfSide(piece as PieceView, 'a', onto, side).map((c) => c.scanId);
  expect(ids('placed', 'from')).toEqual(['a']);
  expect(ids('placed', 'onto')).toEqual(['b', 'c']);
  expect(ids('d', 'onto')).toEqual(['d']);
  const [moving] = scansOfSide(piece as PieceView, 'b', 'placed', 'from');
  expect(moving.matrix.slice(12, 15)).toEqual([0, 0, 0]);
});

test('a picked place is kept in its scan’s own frame and shown where it was picked', () => {
  for (const side of ['from', 'onto'] as const) {
    const place = inScan(scan('b', 'registered'), side, [3, 4, 5]);
    inView(scan('b', 'registered'), side, place).forEach((v, k) => expect(v).toBeCloseTo([3, 4, 5][k], 12));
  }
  inScan(scan('b', 'registered'), 'onto', [10, 20, 30]).forEach((v) => expect(v).toBeCloseTo(0, 12));
});

test('picks complete the oldest pair that lacks their side, in any order; a new scan begins anew', () => {
  const from = (x: number) => placePicked({ from: [x, 0, 0] });
  const onto = (x: number) => placePicked({ onto: { scan: 'b', point: [x, 0, 0] } });
  let s = byHandReducer(undefined, byHandBegun({ moving: 'a', onto: 'placed' }));
  for (const action of [from(1), from(2), onto(1), onto(2), onto(3), from(3)]) s = byHandReducer(s, action);
  expect(s.pairs.map((p) => [p.from?.[0], p.onto?.point[0]])).toEqual([
    [1, 1],
    [2, 2],
    [3, 3],
  ]);
  s = byHandReducer(s, pairRemoved(1));
  expect(s.pairs.map((p) => p.from?.[0])).toEqual([1, 3]);
  s = byHandReducer(s, byHandBegun({ moving: 'd', onto: 'b' }));
  expect(s).toMatchObject({ moving: 'd', onto: 'b', pairs: [] });
  expect(byHandReducer(s, byHandBegun(null)).moving).toBeNull();
});
