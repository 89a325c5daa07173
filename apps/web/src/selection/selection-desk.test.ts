import { BitSet } from '@amber-knit/core/geometry';
import { identity } from '@amber-knit/core/math';
import { SelectionDesk, type DeskScan } from './selection-desk';

const n = 400;
/** A flat square of 20 × 20 points, 1 mm apart, at a height. */
function scan(id: string, z: number, change: Partial<DeskScan> = {}): DeskScan {
  const positions = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) positions.set([i % 20, Math.floor(i / 20), z], 3 * i);
  const cloud = { positions, present: BitSet.full(n), viewFromScan: identity(), spacing: 1 };
  return { id, name: `scan ${id}`, base: `${id} stored`, cloud, viewpoints: [[10, 10, 100]], visible: true, ...change };
}
const box = (x: number) => ({
  kind: 'box' as const,
  min: [-1, -1, -1] as [number, number, number],
  max: [x, 99, 99] as [number, number, number],
});
const total = (desk: SelectionDesk): number => desk.state().total;

test('selections join, are undone and redone; a new one forgets what was undone', () => {
  const desk = new SelectionDesk();
  desk.setScans([scan('a', 0), scan('b', 5)]);
  desk.select(box(4.5), 'replace');
  expect(desk.state().counts).toEqual({ a: 100, b: 100 });
  desk.select(box(1.5), 'subtract');
  expect(total(desk)).toBe(120);
  expect([desk.undo(), total(desk), desk.undo(), total(desk), desk.undo()]).toEqual([true, 200, true, 0, false]);
  expect([desk.redo(), desk.redo(), desk.redo(), total(desk)]).toEqual([true, true, false, 120]);
  desk.undo();
  desk.select({ kind: 'invert' }, 'replace');
  expect([total(desk), desk.redo()]).toEqual([600, false]);
});

test('in a section only what lies in it is selected; what was selected elsewhere can be kept', () => {
  const desk = new SelectionDesk();
  desk.setScans([scan('a', 0), scan('b', 5)]);
  const slab = { normal: [0, 0, 1] as [number, number, number], from: 4, to: 6 };
  desk.select({ kind: 'all' }, 'replace', slab);
  expect(desk.state().counts).toEqual({ b: n });
  desk.select(box(4.5), 'replace');
  desk.select(box(4.5), 'subtract', slab);
  expect(desk.state().counts).toEqual({ a: 100 });
});

test('hidden scans take no part and are not cut', () => {
  const desk = new SelectionDesk();
  desk.setScans([scan('a', 0), scan('b', 5)]);
  desk.select({ kind: 'all' }, 'replace');
  const b = scan('b', 5, { visible: false });
  desk.setScans([scan('a', 0), b]);
  desk.select({ kind: 'all' }, 'replace');
  expect(desk.packed().map((s) => [s.scan, s.base, s.points.count()])).toEqual([['scan a', 'a stored', n]]);
  desk.leave();
  expect(total(desk)).toBe(0);
  expect(desk.marksOf('a').leaving?.count()).toBe(n);
});

test('points about to go can’t be selected, and come back when the cut fails', () => {
  const desk = new SelectionDesk();
  desk.setScans([scan('a', 0)]);
  desk.select(box(4.5), 'replace');
  desk.leave();
  desk.select({ kind: 'all' }, 'replace');
  expect(total(desk)).toBe(300);
  desk.restore();
  desk.select({ kind: 'all' }, 'replace');
  expect(total(desk)).toBe(400);
});

test('a selection outlives a cut of the same points, but not new points', () => {
  const desk = new SelectionDesk();
  const a = scan('a', 0);
  desk.setScans([a]);
  desk.select(box(4.5), 'replace');
  const present = BitSet.full(n);
  for (let i = 0; i < 200; i++) present.delete(i);
  desk.setScans([{ ...a, cloud: { ...a.cloud, present } }]);
  expect(total(desk)).toBe(50);
  const thinned = { ...a.cloud, positions: new Float32Array(300), present: BitSet.full(100) };
  desk.setScans([{ ...a, base: 'thinned', cloud: thinned }]);
  expect(total(desk)).toBe(0);
});

test('a threshold being moved is one step to undo', () => {
  const desk = new SelectionDesk();
  desk.setScans([scan('a', 0)]);
  desk.select(box(1.5), 'replace');
  const spread = desk.measure('distance', null, () => undefined);
  expect(spread.counts.reduce((x, y) => x + y, 0)).toBe(n);
  for (const from of [2, 4, 6]) {
    desk.select({ kind: 'measure', measure: 'distance', from, to: Infinity }, 'add');
  }
  const moved = total(desk);
  expect(moved).toBeGreaterThan(40);
  desk.undo();
  expect(total(desk)).toBe(40);
  expect(desk.select({ kind: 'measure', measure: 'angle', from: 0, to: 1 }, 'add')).toMatch(/measure them again/);
});

test('in a section a measure’s spread counts only what lies in it, on the scale of the whole', () => {
  const desk = new SelectionDesk();
  expect(desk.spreadWithin(null)).toBeUndefined();
  const far = scan('b', 0);
  far.cloud.positions.forEach((v, i, p) => (p[i] = i % 3 === 2 ? 5 : 2 * v));
  desk.setScans([scan('a', 0), far]);
  const slab = { normal: [0, 0, 1] as [number, number, number], from: -1, to: 1 };
  const counted = (s: { counts: number[] }): number => s.counts.reduce((x, y) => x + y, 0);
  // From their middles the points lie up to 14 mm in the one, 28 mm in the other.
  const whole = desk.measure('distance', null, () => undefined);
  expect([counted(whole), whole.inSection, whole.high > 20]).toEqual([2 * n, false, true]);
  const inside = desk.spreadWithin(slab)!;
  expect([counted(inside), inside.unknown, inside.inSection]).toEqual([n, 0, true]);
  expect(inside.high).toBeLessThan(15);
  expect(inside.edges).toEqual(whole.edges);
  expect(desk.spreadWithin(null)).toEqual(whole);
  expect(counted(desk.spreadWithin({ ...slab, from: 20, to: 30 })!)).toBe(0);
  // Selecting by the measure is not narrowed by what was counted.
  desk.measure('distance', slab, () => undefined);
  desk.select({ kind: 'measure', measure: 'distance', from: 20, to: Infinity }, 'replace');
  expect(Object.keys(desk.state().counts)).toEqual(['b']);
});

test('selections are remembered by name; a click beside the points says so', () => {
  const desk = new SelectionDesk();
  desk.setScans([scan('a', 0)]);
  desk.select(box(4.5), 'replace');
  desk.remember('edge');
  desk.select({ kind: 'none' }, 'replace');
  desk.select({ kind: 'named', name: 'edge' }, 'replace');
  expect([total(desk), desk.state().names]).toEqual([100, ['edge']]);
  expect(desk.select({ kind: 'named', name: 'rim' }, 'replace')).toMatch(/no selection "rim"/);
  const clipFromView = Float64Array.of(0.1, 0, 0, 0, 0, 0.1, 0, 0, 0, 0, 0.1, 0, -1, -1, 0, 1);
  const view = { clipFromView, width: 100, height: 100 };
  expect(desk.select({ kind: 'piece', at: [5, 5], view }, 'replace')).toBeUndefined();
  expect(total(desk)).toBe(n);
  const beside = { kind: 'piece' as const, at: [500, 500] as [number, number], view };
  expect(desk.select(beside, 'replace')).toMatch(/no point there/);
  expect(desk.select({ kind: 'color', at: [5, 5], view, tolerance: 9, connected: true }, 'replace')).toMatch(
    /no colours/,
  );
});

test('what is remembered elsewhere is learnt when asked for, on the points that are still here', () => {
  const desk = new SelectionDesk();
  desk.setScans([scan('a', 0), scan('b', 5, { visible: false })]);
  desk.select(box(4.5), 'replace');
  const kept = desk.remember('edge');
  expect(kept.map((k) => [k.scan, k.points.count()])).toEqual([['scan a', 100]]);

  const later = new SelectionDesk();
  later.setScans([scan('a', 0), scan('c', 9)]);
  later.hear(['edge', 'rim']);
  expect([later.state().names, later.asksFor('edge'), later.asksFor('other')]).toEqual([['edge', 'rim'], true, false]);
  later.learn('edge', [...kept, { scan: 'gone', base: 'gone stored', points: BitSet.full(7) }]);
  expect(later.asksFor('edge')).toBe(false);
  later.select({ kind: 'named', name: 'edge' }, 'replace');
  expect(later.state().counts).toEqual({ a: 100 });
  later.forget('edge');
  expect(later.state().names).toEqual(['rim']);
});

test('surface that faces the same way is found without stored normals, if the viewpoint is known', () => {
  const desk = new SelectionDesk();
  const clipFromView = Float64Array.of(0.1, 0, 0, 0, 0, 0.1, 0, 0, 0, 0, 0.1, 0, -1, -1, 0, 1);
  const normal = {
    kind: 'normal' as const,
    at: [50, 50] as [number, number],
    view: { clipFromView, width: 100, height: 100 },
    maxAngleDeg: 10,
    connected: false,
  };
  desk.setScans([scan('a', 0)]);
  desk.select(normal, 'replace');
  expect(total(desk)).toBe(n);
  desk.setScans([scan('b', 0, { viewpoints: [] })]);
  expect(desk.select(normal, 'replace')).toMatch(/not known from where/);
});
