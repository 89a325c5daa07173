import { randomBytes } from 'node:crypto';
import { DataSource } from 'typeorm';
import { Harness } from '../../test/harness.js';
import { Artifact } from '../database/entities.js';
import { BlobStore } from '../storage/blob-store.js';

let harness: Harness;
const bytes = randomBytes(5_000_000);

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_downloads');
});
afterAll(() => harness.app.close());

async function stored(name: string): Promise<string> {
  const piece = await harness.newPiece();
  const { manager } = harness.app.get(DataSource);
  const blobSha256 = await harness.app.get(BlobStore).put(bytes);
  const facts = { name, mediaType: 'model/gltf-binary', bytes: bytes.length };
  return (await manager.save(manager.create(Artifact, { pieceId: piece.id, kind: 'file', blobSha256, facts }))).id;
}

const get = (id: string, headers: Record<string, string> = {}): Promise<Response> =>
  fetch(`${harness.base}/api/artifacts/${id}/data`, { headers });

test.each(['jug.glb', 'Kännchen „Fähre“.glb', 'кувшин.glb', '水差し.glb', 'a"b\\c\r\nX: y.glb', '🫖.glb'])(
  'a file named %j comes with that name',
  async (name) => {
    const answer = await get(await stored(name));
    expect(answer.status).toBe(200);
    const header = answer.headers.get('content-disposition')!;
    // RFC 5987: what is in UTF-8 stands percent-encoded behind two apostrophes.
    const encoded = /filename\*=UTF-8''([^;]+)/.exec(header)?.[1];
    const plain = /filename="((?:[^"\\]|\\.)*)"/.exec(header)?.[1]?.replace(/\\(.)/g, '$1');
    expect(encoded ? decodeURIComponent(encoded) : (plain ?? /filename=(\S+)/.exec(header)?.[1])).toBe(name);
    expect(Buffer.compare(Buffer.from(await answer.arrayBuffer()), bytes)).toBe(0);
  },
);

test('a download that broke off goes on where it stopped; what is known is not sent again', async () => {
  const id = await stored('jug.glb');
  const whole = await get(id);
  const tag = whole.headers.get('etag')!;
  await whole.arrayBuffer();
  // By hand: `fetch` asks past all caches once this header is given.
  await harness.http().get(`/api/artifacts/${id}/data`).set('If-None-Match', tag).expect(304);
  // Across two chunks of the store, to the end, the last bytes.
  for (const [range, from, to] of [
    ['bytes=2097000-2098000', 2_097_000, 2_098_001],
    ['bytes=4999990-', 4_999_990, 5_000_000],
    ['bytes=-7', 4_999_993, 5_000_000],
  ] as const) {
    const part = await get(id, { range, 'if-range': tag });
    expect([part.status, part.headers.get('content-range')]).toEqual([206, `bytes ${from}-${to - 1}/5000000`]);
    expect(Buffer.compare(Buffer.from(await part.arrayBuffer()), bytes.subarray(from, to))).toBe(0);
  }
  for (const [headers, status] of [
    [{ range: 'bytes=5000000-' }, 416],
    [{ range: 'bytes=0-9', 'if-range': '"other"' }, 200],
    [{ range: 'nonsense' }, 200],
  ] as const) {
    const answer = await get(id, headers);
    expect([headers, answer.status]).toEqual([headers, status]);
    // An answer that nobody reads keeps its connection, and the server from closing.
    await answer.body?.cancel();
  }
});
