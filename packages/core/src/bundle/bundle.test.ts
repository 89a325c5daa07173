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

/** The same bytes with another header, as a damaged or hostile file has it. */
function withHeader(change: (text: string) => string): Uint8Array {
  const length = new DataView(bytes.buffer).getUint32(4, true);
  const text = new TextEncoder().encode(change(new TextDecoder().decode(bytes.subarray(8, 8 + length))));
  const out = new Uint8Array(8 + text.length + bytes.length - 8 - length);
  out.set(bytes.subarray(0, 4));
  new DataView(out.buffer).setUint32(4, text.length, true);
  out.set(text, 8);
  out.set(bytes.subarray(8 + length), 8 + text.length);
  return out;
}

test.each<[string, (text: string) => string]>([
  ['no JSON', (t) => t.replace('"tables"', '"tables')],
  ['no tables', (t) => t.replace('"tables"', '"other"')],
  ['nothing known of it', (t) => t.replace('"meta":{"noise":0.1,"name":"kännchen"}', '"meta":null')],
  ['an unknown type', (t) => t.replace('"f32"', '"f64"')],
  ['rows below nothing', (t) => t.replace('"rows":40000', '"rows":-1')],
  ['no rows to a page', (t) => t.replace('"pageRows":16384', '"pageRows":0')],
  ['two tables of one name', (t) => t.replace('"name":"ids"', '"name":"points"')],
  ['no columns', (t) => t.replace('"columns"', '"column"')],
])('a header with %s is refused in words', (_, change) => {
  expect(() => decodeBundle(withHeader(change))).toThrow('The header of the bundle is damaged.');
});

test.each(['4e15', '800000000'])('a table that claims %s rows gets no room for them', (claim) => {
  const liar = withHeader((t) => t.replace('"rows":40000', `"rows":${claim}`));
  expect(() => decodeBundle(liar)).toThrow('The stored data is incomplete.');
});
