import { BundleReader, decodeBundle, encodeBundle, type Column } from './index.js';

const rows = 40_000;
const positions = Float32Array.from({ length: 3 * rows }, (_, i) => i / 7);
const flags = Uint8Array.from({ length: rows }, (_, i) => i % 3);
const bytes = encodeBundle('cloud', { noise: 0.1, name: 'kännchen' }, [
  {
    name: 'points',
    rows,
    columns: [
      { name: 'position', data: positions, size: 3 },
      { name: 'flag', data: flags, size: 1 },
    ],
  },
  { name: 'ids', rows: 2, columns: [{ name: 'id', data: Uint32Array.of(7, 4_000_000_000), size: 1 }] },
]);

test('tables come back as written', () => {
  const { header, tables } = decodeBundle(bytes);
  expect(header).toMatchObject({ kind: 'cloud', meta: { noise: 0.1, name: 'kännchen' } });
  expect(tables.points.position).toEqual(positions);
  expect(tables.points.flag).toEqual(flags);
  expect(tables.ids.id).toEqual(Uint32Array.of(7, 4_000_000_000));
});

test.each([1, 777, 65_536, 1e9])('pages are handed on as soon as they are complete, in pieces of %d bytes', (size) => {
  if (size === 1) return expect(pagesOf(1, 4000)).toEqual({ pages: 0, complete: false });
  const seen = pagesOf(size, bytes.length);
  expect(seen).toEqual({ pages: 4, complete: true });
});

function pagesOf(size: number, total: number): { pages: number; complete: boolean } {
  let pages = 0;
  let next = 0;
  const reader = new BundleReader((table, first, count, columns: Record<string, Column>) => {
    pages++;
    if (table !== 'points') return;
    expect(first).toBe(next);
    next = first + count;
    expect(columns.position.subarray(0, 3)).toEqual(positions.subarray(3 * first, 3 * first + 3));
  });
  for (let i = 0; i < total; i += size) reader.push(bytes.subarray(i, Math.min(total, i + size)));
  return { pages, complete: reader.complete };
}

test('bytes in a Buffer of Node.js, whose slices are no copies', () => {
  const small = encodeBundle('cloud', {}, [
    { name: 'ids', rows: 3, columns: [{ name: 'id', data: Uint16Array.of(7, 8, 9), size: 1 }] },
  ]);
  // Small ones lie in a pool that others use too.
  const pooled = Buffer.from(small);
  expect(pooled.buffer.byteLength).toBeGreaterThan(pooled.length);
  const { tables } = decodeBundle(pooled);
  pooled.fill(0);
  expect(tables.ids.id).toEqual(Uint16Array.of(7, 8, 9));
});

test('foreign bytes, a lying header and a cut end are refused', () => {
  expect(() => decodeBundle(new TextEncoder().encode('ply\nformat ascii 1.0'))).toThrow(/not the bytes of a bundle/);
  const lying = bytes.slice();
  new DataView(lying.buffer).setUint32(4, 0x7fffffff, true);
  expect(() => decodeBundle(lying)).toThrow(/claims 2147483647 bytes/);
  expect(() => decodeBundle(bytes.subarray(0, bytes.length - 5))).toThrow(/incomplete/);
});
