import { strFromU8, unzipSync, zipSync } from 'fflate';
import { encodeDepthPng } from '@amber-knit/core/io';
import type { DepthFrame } from '@amber-knit/core/geometry';
import { createRandom, fromTwist, gaussian, invertRigid, lookAt, multiply, type Mat4 } from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import { decodeFrames } from '@amber-knit/core/stored';
import { lumps, meshOf } from '../../../../packages/core/test/shapes.js';
import { readArchiveContent } from '../archives/archive-content.js';
import { Harness } from '../../test/harness.js';

/** Frames that stand elsewhere after a step: kept with the state, not with the scan. */
let harness: Harness;
let stop: () => Promise<void>;
beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('refined_frames');
  ({ stop } = await harness.work());
});
afterAll(async () => {
  await stop();
  await harness.app.close();
});

const VIEWS = 8;
const camera = { width: 120, height: 90, fx: 180, fy: 180, cx: 59.5, cy: 44.5 };

/** A folder of depth pictures of a lumpy ball whose places are off by a quarter of a millimetre. */
function folder(): Uint8Array {
  const ball = meshOf(lumps, 42, 2);
  const random = createRandom(4);
  const off = (size: number): number => size * gaussian(random);
  const text = (s: string): Uint8Array => new TextEncoder().encode(s);
  const files: Record<string, Uint8Array> = {
    'ball/intrinsics.json': text(JSON.stringify({ ...camera, depthUnitsPerMm: 50 })),
  };
  const lines: string[] = [];
  for (let k = 0; k < VIEWS; k++) {
    const a = (2 * Math.PI * k) / VIEWS;
    const pose = lookAt([200 * Math.cos(a), 200 * Math.sin(a), 60], [0, 0, 0], [0, 0, 1]);
    const { depth } = rasterizeDepth(ball, invertRigid(pose), camera);
    files[`ball/depth/00${k}.png`] = encodeDepthPng(depth, camera, 50);
    const wrong = fromTwist(off(0.002), off(0.002), off(0.002), off(0.25), off(0.25), off(0.25));
    lines.push(`${k} ${trajectoryLine(k === 0 ? pose : multiply(wrong, pose))}`);
  }
  files['ball/trajectory.txt'] = text(lines.join('\n'));
  return zipSync(files);
}

/** Place in metres and quaternion x y z w (Shepperd 1978, the case of a large trace is enough after a small turn). */
function trajectoryLine(m: Mat4): string {
  const r = (row: number, col: number): number => m[4 * col + row];
  const candidates = [
    [1 + r(0, 0) - r(1, 1) - r(2, 2), r(0, 1) + r(1, 0), r(0, 2) + r(2, 0), r(2, 1) - r(1, 2)],
    [r(0, 1) + r(1, 0), 1 - r(0, 0) + r(1, 1) - r(2, 2), r(1, 2) + r(2, 1), r(0, 2) - r(2, 0)],
    [r(0, 2) + r(2, 0), r(1, 2) + r(2, 1), 1 - r(0, 0) - r(1, 1) + r(2, 2), r(1, 0) - r(0, 1)],
    [r(2, 1) - r(1, 2), r(0, 2) - r(2, 0), r(1, 0) - r(0, 1), 1 + r(0, 0) + r(1, 1) + r(2, 2)],
  ];
  const best = candidates.reduce((b, q) => (Math.hypot(...q) > Math.hypot(...b) ? q : b));
  const q = best.map((v) => v / Math.hypot(...best));
  return [m[12] / 1000, m[13] / 1000, m[14] / 1000, ...q].join(' ');
}

const framesOf = async (id: string | null): Promise<DepthFrame[]> =>
  decodeFrames(
    new Uint8Array((await harness.http().get(`/api/artifacts/${id}/data`).buffer(true).expect(200)).body as Buffer),
  );
const places = (frames: DepthFrame[]): number[][] => frames.map((f) => Array.from(f.scanFromSensor));

test('frames that were made to agree stand elsewhere from then on, and stand again as they came after undoing', async () => {
  const piece = await harness.newPiece('Ball');
  await harness.finished(await harness.upload(piece.id, 'ball.zip', folder()));
  const scan = async () => (await harness.piece(piece.id)).scanList[0];
  const came = await scan();
  expect(came).toMatchObject({ frames: VIEWS, cloud: { facts: { unrefined: true } } });

  const step = await harness.enqueue(piece.id, 'clean.refine', {});
  expect(await harness.finished(step.id)).toMatchObject({ status: 'done', figures: { frames: VIEWS, misfits: 0 } });
  const agreed = await scan();
  expect(agreed.frames).toBe(VIEWS);
  expect(agreed.cloud.facts.unrefined).toBeUndefined();
  expect(agreed.framesId).not.toBe(came.framesId);
  const [before, after] = [await framesOf(came.framesId), await framesOf(agreed.framesId)];
  expect(after.map((f) => f.name)).toEqual(before.map((f) => f.name));
  expect(places(after)[0]).toEqual(places(before)[0]);
  expect(places(after)[3]).not.toEqual(places(before)[3]);
  expect(after[3].depth).toEqual(before[3].depth);

  // Later steps build on these frames: there is nothing left to be done with them.
  await harness.finished((await harness.enqueue(piece.id, 'clean.strays', {})).id);
  const again = await harness.finished((await harness.enqueue(piece.id, 'clean.refine', {})).id);
  expect(again).toMatchObject({ status: 'done', summary: 'All frames agreed already' });
  expect((await scan()).framesId).toBe(agreed.framesId);

  // A copy has them as they stand.
  const other = await harness.newPiece('Copy');
  await harness
    .http()
    .post(`/api/pieces/${piece.id}/scans/copies`)
    .send({ scans: [came.id], to: other.id })
    .expect(200);
  const [copied] = (await harness.piece(other.id)).scanList;
  expect(places(await framesOf(copied.framesId))).toEqual(places(after));

  // Leaving one out and undoing all of it.
  const out = await harness.enqueue(piece.id, 'clean.frames', { scan: came.name, dropped: [after[5].name] });
  await harness.finished(out.id);
  expect(await scan()).toMatchObject({ frames: VIEWS - 1, framesId: agreed.framesId });
  for (let k = 0; k < 3; k++) await harness.http().post(`/api/pieces/${piece.id}/undo`).expect(200);
  expect(await scan()).toMatchObject({ framesId: came.framesId, cloud: { id: came.cloud.id } });
  await harness.http().post(`/api/pieces/${piece.id}/redo`).expect(200);
  expect((await scan()).framesId).toBe(agreed.framesId);
  expect(await harness.violations()).toEqual([]);

  // What was undone may be forgotten; what stands is not.
  await harness.http().post(`/api/pieces/${piece.id}/forget-undone`).expect(200);
  expect(places(await framesOf((await scan()).framesId))).toEqual(places(after));
  expect(await harness.violations()).toEqual([]);

  // Its archive names them, and has them.
  const { body: archive } = await harness
    .http()
    .get(`/api/pieces/${piece.id}/archive`)
    .responseType('blob')
    .expect(200);
  const { states } = readArchiveContent(strFromU8(unzipSync(new Uint8Array(archive as Buffer))['archive.json']));
  expect(states.at(-1)!.heads.frames).toEqual({ [came.id]: agreed.framesId });
}, 120_000);
