import type { PieceView, VersionView } from '@amber-knit/contracts';
import { Harness, scanFile } from '../../test/harness.js';

/** Going through a piece's versions on the real application with a real database and worker threads. */
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

test('one can go to any version and back; a new step leaves what was undone behind', async () => {
  const piece = await harness.newPiece();
  const versions = async (): Promise<VersionView[]> =>
    (await harness.http().get(`/api/pieces/${piece.id}/versions`).expect(200)).body as VersionView[];
  const goTo = async (v: VersionView): Promise<PieceView> =>
    (await harness.http().post(`/api/pieces/${piece.id}/versions/${v.id}`).expect(200)).body as PieceView;
  const places = async (): Promise<string> => (await versions()).map((v) => v.place[0]).join('');
  await harness.finished(await harness.upload(piece.id, 'a.ply', scanFile(3000)));
  await harness.finished(await harness.upload(piece.id, 'b.ply', scanFile(3000)));
  const thin = await harness.enqueue(piece.id, 'clean.rescale', { was: 'factor', factor: 2 });
  await harness.finished(thin.id);
  const all = await versions();
  expect(all.map((v) => v.title)).toEqual(['Empty piece', 'Import scans', 'Import scans', 'Correct the unit']);
  expect(await places()).toBe('bbbc');
  expect(all[3].detail).toContain('× 2');

  const all3 = (await harness.piece(piece.id)).scanList;
  expect(all[3].stepId).toBe(thin.id);
  // Looked at without going there.
  const at = async (v: VersionView): Promise<PieceView> =>
    (await harness.http().get(`/api/pieces/${piece.id}/versions/${v.id}`).expect(200)).body as PieceView;
  expect((await at(all[1])).scanList.map((s) => s.name)).toEqual(['a']);
  expect((await at(all[2])).scanList.map((s) => s.cloud.id)).toEqual(all3.map((s) => s.original.id));
  expect(await places()).toBe('bbbc');
  const other = await harness.newPiece();
  await harness.http().get(`/api/pieces/${other.id}/versions/${all[1].id}`).expect(404);

  expect((await goTo(all[1])).scanList.map((s) => s.name)).toEqual(['a']);
  expect(await places()).toBe('bcaa');
  // Redo takes the next one, not the last.
  await harness.http().post(`/api/pieces/${piece.id}/redo`).expect(200);
  expect(await places()).toBe('bbca');
  const last = await goTo(all[3]);
  expect(last.scanList).toHaveLength(2);
  expect(Number(last.scanList[0].cloud.facts.diagonal)).toBeGreaterThan(
    1.9 * Number(last.scanList[0].original.facts.diagonal),
  );
  await goTo(all[0]);
  await harness.finished(await harness.upload(piece.id, 'c.ply', scanFile(3000)));
  expect((await versions()).map((v) => v.title)).toEqual(['Empty piece', 'Import scans']);
  await harness.http().post(`/api/pieces/${piece.id}/versions/${all[3].id}`).expect(404);
});
