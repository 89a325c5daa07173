import type { LightModel, TexturedMesh } from '@amber-knit/core/geometry';
import { decodeMesh } from '@amber-knit/core/stored';
import { block } from '../../test/block.js';
import { Harness } from '../../test/harness.js';

/** Colours worked on by hand and a light model with its maps, on the real application. */
let harness: Harness;
let stop: () => Promise<void>;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_colours');
  ({ stop } = await harness.work());
});
afterAll(async () => {
  await stop();
  await harness.app.close();
});

async function stored<M>(id: string): Promise<M> {
  const response = await harness.http().get(`/api/artifacts/${id}/data`).buffer(true).responseType('blob').expect(200);
  return decodeMesh(new Uint8Array(response.body as Buffer)) as M;
}

test('strokes change the map and hold on one made anew; a light model goes with its surface and comes back with it', async () => {
  const piece = await harness.newPiece('Block');
  const about = { operation: 'mend.bring-in', params: JSON.stringify({ unit: 'mm' }) };
  await harness.finished(await harness.upload(piece.id, 'block.ply', block(), about));
  const run = async (operation: string, params: object): Promise<string> => {
    const { id } = await harness.enqueue(piece.id, operation, params);
    await harness.finished(id);
    return id;
  };
  await run('texture.map', { mapSize: 256 });
  const before = await harness.piece(piece.id);

  const stroke = { kind: 'paint', opacity: 1, hardness: 1, color: [220, 30, 30], dabs: [[30, 20, 20, 8, 1]] };
  const beside = { ...stroke, dabs: [[500, 0, 0, 1, 1]] };
  const drawn = await harness.step(await run('texture.by-hand', { touches: [stroke, beside] }));
  expect(drawn).toMatchObject({ error: null, figures: { strokes: 1, leftOut: 1 } });
  expect(drawn.notes.join()).toContain('Stroke 2 (painted) was left out');
  const now = await harness.piece(piece.id);
  const [old, painted] = await Promise.all([before.model!, now.model!].map((m) => stored<TexturedMesh>(m.id)));
  const red = (m: TexturedMesh): number => {
    let count = 0;
    for (let i = 0; i < m.texture.data.length; i += 3)
      if (m.texture.data[i] === 220 && m.texture.data[i + 1] === 30) count++;
    return count;
  };
  expect(red(old)).toBe(0);
  expect(red(painted)).toBeGreaterThan(100);
  // A map of another size: the strokes belong to the surface.
  await run('texture.map', { mapSize: 512 });
  const { id: again } = (await harness.http().post(`/api/steps/${drawn.id}/again`).send({}).expect(202)).body as {
    id: string;
  };
  await harness.finished(again);
  const anew = await stored<TexturedMesh>((await harness.piece(piece.id)).model!.id);
  expect(anew.texture.width).toBe(512);
  expect(red(anew)).toBeGreaterThan(2.5 * red(painted));

  const bake = await run('texture.bake', { triangles: 500, mapSize: 128, reaches: [{ ball: [0, 0, 0, 9], reach: 2 }] });
  expect((await harness.step(bake)).figures).toMatchObject({ mapSize: 128 });
  const { light } = await harness.piece(piece.id);
  expect(light!.facts).toMatchObject({ mapSize: 128, failed: 0 });
  const model = await stored<LightModel>(light!.id);
  expect(model.maps.map((m) => m.kind)).toContain('displacement');
  expect(red(model)).toBeGreaterThan(10);
  const small = await run('deliver.web', { surface: 'light', megabytes: 1 });
  expect((await harness.step(small)).figures).toMatchObject({ mapSize: 128 });

  // Another surface has no light model; undone, it is there again.
  await run('mend.reduce', { triangles: 1000 });
  expect(await harness.piece(piece.id)).toMatchObject({ light: null, model: null });
  await harness.http().post(`/api/pieces/${piece.id}/undo`).expect(200);
  expect((await harness.piece(piece.id)).light?.id).toBe(light!.id);
  expect(await harness.violations()).toEqual([]);
});

test('strokes and places that are none are refused by name', async () => {
  const piece = await harness.newPiece('Nothing');
  const ask = async (operationId: string, params: object): Promise<string> => {
    const r = await harness.http().post(`/api/pieces/${piece.id}/steps`).send({ operationId, params });
    expect(r.status).toBe(400);
    return (r.body as { detail: string }).detail;
  };
  expect(await ask('texture.by-hand', { touches: [{ kind: 'melt' }] })).toMatch('edit 1 must be one of paint');
  expect(await ask('texture.bake', { reaches: [{ ball: [1, 2], reach: 1 }] })).toMatch('four numbers');
  expect(await ask('texture.bake', { reaches: [{ ball: [1, 2, 3, 4], reach: -1 }] })).toMatch('reach');
});
