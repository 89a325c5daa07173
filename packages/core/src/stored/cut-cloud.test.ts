import { BitSet, filterPoints, pointCount, type PointCloud } from '../geometry/index.js';
import {
  applyCut,
  decodeCloud,
  decodeCut,
  decodeSelection,
  encodeCloud,
  encodeCut,
  encodeSelection,
  rowsLeftOf,
} from './index.js';

const n = 1001;
const source: PointCloud = {
  positions: Float32Array.from({ length: 3 * n }, (_, i) => Math.sin(i) * 40),
  colors: Uint8Array.from({ length: 3 * n }, (_, i) => i),
};
const base = decodeCloud(encodeCloud(source)).cloud;
const left = filterPoints(
  base,
  Uint8Array.from({ length: n }, (_, i) => (i % 3 === 0 ? 0 : 1)),
);

test('a cloud with points left out is kept as bits and comes back the same', () => {
  const kept = rowsLeftOf(base, left)!;
  expect(kept.count()).toBe(pointCount(left));
  const backdrop = Float32Array.of(1, 2, 3);
  const bytes = encodeCut({ base: 'b1', kept, backdrop, meta: { viewpoints: [[0, 0, 1]] } }, left.positions);
  expect(bytes.length).toBeLessThan(700);
  const cut = decodeCut(bytes);
  expect(cut).toMatchObject({ base: 'b1', backdrop, meta: { viewpoints: [[0, 0, 1]] } });
  expect(applyCut(base, cut)).toEqual(left);
});

test('cuts of cuts are still cuts of the stored cloud', () => {
  const again = filterPoints(
    left,
    Uint8Array.from({ length: pointCount(left) }, (_, i) => i & 1),
  );
  expect(rowsLeftOf(base, again)!.count()).toBe(pointCount(again));
});

test.each<[string, PointCloud]>([
  ['moved points', { ...left, positions: left.positions.map((v) => v + 0.001) }],
  ['other colours', { ...left, colors: left.colors!.map((v) => v ^ 1) }],
  ['new normals', { ...left, normals: new Float32Array(left.positions.length) }],
  ['points twice', { ...left, rows: left.rows!.slice().fill(1) }],
  ['points of nowhere', { positions: left.positions, colors: left.colors }],
])('%s are no cut: such a cloud is stored as it is', (_name, cloud) => {
  expect(rowsLeftOf(base, cloud)).toBeUndefined();
});

test('a cut does not fit another cloud, and bits must fit the points', () => {
  const other = decodeCloud(encodeCloud({ positions: new Float32Array(30) })).cloud;
  const cut = decodeCut(encodeCut({ base: 'b', kept: rowsLeftOf(base, left)!, meta: {} }, left.positions));
  expect(() => applyCut(other, cut)).toThrow(/A cut of 1001 points met a cloud of 10/);
  expect(() => decodeCut(encodeCloud(source))).toThrow(/bytes of bits/);
});

test('selected points travel as bits; damaged and foreign files are refused', () => {
  const points = new BitSet(n);
  for (const i of [0, 5, 1000]) points.add(i);
  const bytes = encodeSelection([
    { scan: 'a', base: 'b1', points },
    { scan: 'ü', base: 'b2', points: new BitSet(0) },
  ]);
  const [a, b] = decodeSelection(bytes);
  expect(Array.from(a.points.toArray())).toEqual([0, 5, 1000]);
  expect(b).toMatchObject({ scan: 'ü', base: 'b2' });
  const text = new TextDecoder('latin1').decode(bytes);
  const lying = Uint8Array.from(text.replace('"rows":1001}', '"rows":9001}'), (c) => c.charCodeAt(0));
  expect(() => decodeSelection(lying)).toThrow(/damaged|incomplete/);
  expect(() => decodeSelection(encodeCloud(source))).toThrow(/no selected points/);
  expect(() => decodeSelection(bytes.subarray(0, bytes.length - 3))).toThrow(/incomplete/);
});
