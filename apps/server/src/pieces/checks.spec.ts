import type { DimensionSheet } from '@amber-knit/core/dimensions';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { writeStl } from '@amber-knit/core/io';
import { decodeDeviation, decodeMesh } from '@amber-knit/core/stored';
import { Harness } from '../../test/harness.js';

/** Dimensions, comparison and uprightness on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;
let piece: PieceView;

beforeAll(async () => {
  // Its own database: what is stored is looked over as a whole.
  harness = await Harness.startOnOwnDatabase('amberknit_checks');
  ({ stop } = await harness.work());
  const { id } = await harness.placedPair();
  await done('fuse.surface', { voxel: 2 }, id);
  piece = await harness.piece(id);
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

async function done(operationId: string, params: object, id = piece.id): Promise<StepView> {
  const { id: stepId } = await harness.enqueue(id, operationId, params);
  const step = await harness.finished(stepId);
  expect([operationId, step.status, step.error]).toEqual([operationId, 'done', null]);
  return step;
}
const data = async (id: string): Promise<Buffer> =>
  (await harness.http().get(`/api/artifacts/${id}/data`).responseType('blob').expect(200)).body as Buffer;
const sheetOf = async ({ dimensions }: PieceView): Promise<DimensionSheet> =>
  JSON.parse((await data(dimensions!.id)).toString()) as DimensionSheet;
const move = (direction: 'undo' | 'redo') => harness.http().post(`/api/pieces/${piece.id}/${direction}`).expect(200);

test('dimensions are kept as steps: each change can be undone, and a new surface makes them out of date', async () => {
  const { positions: p } = decodeMesh(await data(piece.mesh!.id));
  const far = p.length / 2 - ((p.length / 2) % 3);
  const places = [[...p.subarray(0, 3)], [...p.subarray(far, far + 3)]];
  const first = { name: 'Across', note: 'at the rim', kind: 'distance', places };
  const step = await done('check.measure', { dimensions: [first] });
  expect(step.summary).toBe('1 dimension');
  let now = await harness.piece(piece.id);
  expect([now.dimensionsFresh, now.stages.find((s) => s.stage === 'check')?.state]).toEqual([true, 'done']);
  const sheet = await sheetOf(now);
  expect(sheet.asked).toEqual([first]);
  const truth = Math.hypot(...[0, 1, 2].map((k) => places[0][k] - places[1][k]));
  expect(sheet.found[0].values[0].value).toBeCloseTo(truth, 3);

  await done('check.measure', { dimensions: [first, { ...first, name: 'Again' }] });
  expect((await sheetOf(await harness.piece(piece.id))).asked).toHaveLength(2);
  await move('undo');
  expect((await sheetOf(await harness.piece(piece.id))).asked).toHaveLength(1);
  await move('redo');

  await done('fuse.surface', { voxel: 3 });
  now = await harness.piece(piece.id);
  expect(now.dimensionsFresh).toBe(false);
  await done('check.measure', { dimensions: (await sheetOf(now)).asked });
  now = await harness.piece(piece.id);
  expect(now.dimensionsFresh).toBe(true);
  piece = now;
});

test('what is no dimension is refused with its fault, and nothing is queued', async () => {
  const dimensions = [{ name: 'a', note: '', kind: 'distance', places: [[0, 0]] }];
  const refused = await harness
    .http()
    .post(`/api/pieces/${piece.id}/steps`)
    .send({ operationId: 'check.measure', params: { dimensions } })
    .expect(400);
  expect(refused.body).toMatchObject({ detail: expect.stringMatching(/places of three numbers/) as string });
});

test('a reference comes as a file; it can be compared again with another tolerance, and goes with a new surface', async () => {
  const mesh = decodeMesh(await data(piece.mesh!.id));
  const grown = { ...mesh, positions: mesh.positions.map((v, i) => (i % 3 === 2 ? v + 0.25 : v)) };
  const upload = await harness.upload(piece.id, 'plan.stl', writeStl(grown, 'plan'), {
    operation: 'check.compare',
    params: JSON.stringify({ place: 'as-is', tolerance: 0.3 }),
  });
  const step = await harness.finished(upload);
  expect([step.status, step.error]).toEqual(['done', null]);
  expect(step.figures?.within).toBeCloseTo(1, 2);
  let now = await harness.piece(piece.id);
  const map = decodeDeviation(await data(now.deviation!.id));
  expect(map.values).toHaveLength(mesh.positions.length / 3);
  // A label reads from the comparison, and is out of date once that is another one.
  const { asked } = await sheetOf(now);
  const at = map.values.findIndex((v) => !Number.isNaN(v));
  const place = [...mesh.positions.subarray(3 * at, 3 * at + 3)];
  await done('check.measure', { dimensions: [...asked, { name: 'Off 1', note: '', kind: 'off', places: [place] }] });
  now = await harness.piece(piece.id);
  expect(now.dimensionsFresh).toBe(true);
  expect((await sheetOf(now)).found.at(-1)!.values[0].value).toBeCloseTo(map.values[at], 3);
  const again = (
    await harness
      .http()
      .post(`/api/steps/${step.id}/again`)
      .send({ params: { tolerance: 0.01 } })
      .expect(202)
  ).body as StepView;
  const tighter = await harness.finished(again.id);
  expect(Number(tighter.figures?.within)).toBeLessThan(0.5);
  expect((await harness.piece(piece.id)).dimensionsFresh).toBe(false);
  await done('check.measure', { dimensions: asked });
  await done('mend.reduce', {});
  now = await harness.piece(piece.id);
  expect(now.deviation).toBeNull();
  await move('undo');
  piece = await harness.piece(piece.id);
  expect(piece.deviation).not.toBeNull();
});

test('a reference of points is refused in words', async () => {
  const text = Array.from({ length: 300 }, (_, i) => `${i % 17} ${i % 13} ${i % 7}`).join('\n');
  const upload = await harness.upload(piece.id, 'cloud.xyz', new TextEncoder().encode(text), {
    operation: 'check.compare',
    params: '{}',
  });
  const step = await harness.finished(upload);
  expect([step.status, step.error]).toEqual(['failed', expect.stringMatching(/points without triangles/)]);
});

test('set upright, all moves as one and stays up to date; undone, it lies as before', async () => {
  const before = await harness.piece(piece.id);
  await done('check.measure', { dimensions: (await sheetOf(before)).asked });
  await done('check.upright', { up: 'angles', turnX: 90, origin: 'base' });
  const now = await harness.piece(piece.id);
  const [old, mesh] = [decodeMesh(await data(before.mesh!.id)), decodeMesh(await data(now.mesh!.id))];
  expect(mesh.positions).toHaveLength(old.positions.length);
  const lowest = mesh.positions.reduce((least, v, i) => (i % 3 === 2 && v < least ? v : least), Infinity);
  expect(Math.abs(lowest)).toBeLessThan(1e-3);
  const states = (p: PieceView) => p.stages.map((s) => [s.stage, s.state]);
  expect(states(now)).toEqual(states(before));
  expect(now.dimensionsFresh).toBe(true);
  expect(now.deviation?.id).not.toBe(before.deviation?.id);
  const [was, is] = [await sheetOf(before), await sheetOf(now)];
  expect(is.found[0].values[0].value).toBeCloseTo(was.found[0].values[0].value, 6);
  expect(is.asked[0].places).not.toEqual(was.asked[0].places);
  expect(now.scanList[0].placement.pieceFromScan).not.toEqual(before.scanList[0].placement.pieceFromScan);
  await move('undo');
  const back = await harness.piece(piece.id);
  expect(back.mesh!.id).toBe(before.mesh!.id);
  expect(back.scanList[0].placement.pieceFromScan).toEqual(before.scanList[0].placement.pieceFromScan);
  expect(await harness.violations()).toEqual([]);
});

test('the report tells dimensions, scans and steps as they stand; what users wrote is text in it, nothing else', async () => {
  const { id } = piece;
  await harness.http().patch(`/api/pieces/${id}`).send({ note: '<script>alert(1)</script> & more' }).expect(200);
  const response = await harness.http().get(`/api/pieces/${id}/report`).expect(200);
  expect(response.headers['content-type']).toMatch(/^text\/html/);
  expect(response.headers['content-security-policy']).toContain("script-src 'self'");
  expect(response.text).toContain('&lt;script&gt;alert(1)&lt;/script&gt; &amp; more');
  expect(response.text).not.toContain('<script>');
  const now = await harness.piece(id);
  for (const { name } of now.scanList) expect(response.text).toContain(`<td>${name}</td>`);
  const [found] = (await sheetOf(now)).found;
  expect(response.text).toContain(`${found.values[0].value.toFixed(2)} mm`);
  expect(response.text).toContain('Against plan.stl');
  const steps = (await harness.http().get(`/api/pieces/${id}/steps`)).body as StepView[];
  expect(response.text).toContain(steps.find((s) => s.operationId === 'fuse.surface')!.title);
  const pdf = await harness.http().get(`/api/pieces/${id}/report/pdf`).buffer().expect(200);
  expect(pdf.headers['content-type']).toBe('application/pdf');
  expect(pdf.headers['content-disposition']).toMatch(/^attachment; filename="Report .*\.pdf"/);
  expect((pdf.body as Buffer).subarray(0, 5).toString('latin1')).toBe('%PDF-');
  const empty = await harness.newPiece('Nothing yet');
  expect((await harness.http().get(`/api/pieces/${empty.id}/report`).expect(200)).text).toContain('no surface yet');
  await harness.http().get('/api/pieces/7f0f2a52-8c0b-4a0e-9f0b-0c8f3a1d2e4b/report').expect(404);
});
