import type { PieceView } from '@amber-knit/contracts';
import { encodeDepthPng } from '@amber-knit/core/io';
import { decodeCloud, decodeCut } from '@amber-knit/core/stored';
import { zipSync } from 'fflate';
import { Harness } from '../../test/harness.js';

/** Copies of scans on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;

beforeAll(async () => {
  harness = await Harness.start(process.env.DATABASE_URL!);
  ({ stop } = await harness.work());
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

const copy = (from: string, scans: string[], to: string, status = 200) =>
  harness.http().post(`/api/pieces/${from}/scans/copies`).send({ scans, to }).expect(status);

const dataOf = async (id: string): Promise<Uint8Array> =>
  new Uint8Array((await harness.http().get(`/api/artifacts/${id}/data`).buffer(true).expect(200)).body as Buffer);

test('a copy has its own points, also of a cut, and its place; the first piece may change and go on', async () => {
  const piece = await harness.placedPair();
  const cut = await harness.enqueue(piece.id, 'clean.strays', { only: ['right'], densityRatio: 0.9 });
  await harness.finished(cut.id);
  const right = (await harness.piece(piece.id)).scanList[1];
  expect(right.cloud.facts.base).toBe(right.original.id);
  await harness
    .http()
    .patch(`/api/pieces/${piece.id}/scans`)
    .send({ scans: [right.id], note: 'shaky' })
    .expect(200);

  const other = await harness.newPiece();
  const { body } = await copy(piece.id, [right.id], other.id);
  const [copied] = (body as PieceView).scanList;
  expect(copied).toMatchObject({ name: 'right', setup: right.setup, note: 'shaky' });
  expect(copied.placement).toMatchObject({ state: 'placed' });
  expect(copied.placement.pieceFromScan[12]).toBe(70);
  expect(copied.cloud.facts).toMatchObject({ points: right.cloud.facts.points, base: copied.original.id });
  expect(copied.original.id).not.toBe(right.original.id);
  expect(await dataOf(copied.original.id)).toEqual(await dataOf(right.original.id));
  const [was, now] = [decodeCut(await dataOf(right.cloud.id)), decodeCut(await dataOf(copied.cloud.id))];
  expect(now).toEqual({ ...was, base: copied.original.id });
  expect(decodeCloud(await dataOf(copied.original.id)).cloud.positions).toHaveLength(9000);

  // Steps work on it, and undoing the copy takes it away.
  const thin = await harness.enqueue(other.id, 'clean.thin', { only: ['right'] });
  expect(await harness.finished(thin.id)).toMatchObject({ status: 'done' });
  for (let k = 0; k < 2; k++) await harness.http().post(`/api/pieces/${other.id}/undo`).expect(200);
  expect((await harness.piece(other.id)).scanList).toHaveLength(0);
  expect((await harness.piece(piece.id)).scanList).toHaveLength(2);
});

test('doubled in its own piece it lies where the first lies, under a name of its own', async () => {
  const piece = await harness.placedPair();
  const { body } = await copy(piece.id, [piece.scanList[1].id], piece.id);
  const { scanList } = body as PieceView;
  expect(scanList.map((s) => [s.name, s.placement.state, s.placement.pieceFromScan[12]])).toEqual([
    ['left', 'placed', 0],
    ['right', 'placed', 70],
    ['right 2', 'placed', 70],
  ]);
  // Where places are known they are those of that piece: a copy from elsewhere comes loose.
  const other = await harness.placedPair();
  const come = (await copy(piece.id, [piece.scanList[1].id], other.id)).body as PieceView;
  expect(come.scanList[2]).toMatchObject({ name: 'right 2', placement: { state: 'loose' } });
});

/** Three depth pictures of a plate, each 60 mm further along, as a zip. */
function plateFrames(): Uint8Array {
  const camera = { width: 80, height: 60, fx: 80, fy: 80, cx: 39.5, cy: 29.5 };
  const depth = Float32Array.from({ length: 80 * 60 }, (_, i) => 400 + 3 * Math.sin(i / 7));
  const text = (s: string): Uint8Array => new TextEncoder().encode(s);
  const files: Record<string, Uint8Array> = {
    'intrinsics.json': text(JSON.stringify({ ...camera, depthUnitsPerMm: 10 })),
    'trajectory.txt': text([0, 1, 2].map((i) => `${i} ${0.06 * i} 0 0 0 0 0 1`).join('\n')),
  };
  for (let i = 0; i < 3; i++) files[`depth/00${i}.png`] = encodeDepthPng(depth, camera, 10);
  return zipSync(Object.fromEntries(Object.entries(files).map(([name, bytes]) => [`plate/${name}`, bytes])));
}

test('frames come along', async () => {
  const piece = await harness.newPiece();
  await harness.finished(await harness.upload(piece.id, 'plate.zip', plateFrames()));
  const [scan] = (await harness.piece(piece.id)).scanList;
  expect(scan.frames).toBe(3);
  // Of 400 mm seen in the first picture each further one adds 60.
  expect(scan.coverage[0]).toBeGreaterThan(60);
  expect(scan.coverage[0]).toBeLessThan(90);
  expect(scan.coverage[2]).toBe(100);
  const other = await harness.newPiece();
  const { body } = await copy(piece.id, [scan.id], other.id);
  const [copied] = (body as PieceView).scanList;
  expect(copied).toMatchObject({ frames: 3, coverage: scan.coverage });
  expect(copied.framesId).not.toBe(scan.framesId);
  expect(await dataOf(copied.framesId!)).toEqual(await dataOf(scan.framesId!));
});

test('scans that are not there are refused, and nothing is made', async () => {
  const piece = await harness.placedPair();
  const other = await harness.newPiece();
  const { body } = await copy(piece.id, [piece.scanList[0].id, other.id], other.id, 400);
  expect(JSON.stringify(body)).toContain('no longer there');
  await copy(piece.id, [], other.id, 400);
  await copy(piece.id, ['x'], other.id, 400);
  expect((await harness.piece(other.id)).scanList).toHaveLength(0);
});
