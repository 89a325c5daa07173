// A workshop's day in a minute: node scripts/load/main.mjs [PIECES] [--people N] [--seconds N] [--listeners N]
// Many pieces on the shelf, people who look, write and run small steps, listeners for events; prints how long answers took.
import { rmSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { openDatabase } from '../../apps/server/dist/database/data-source.js';
import { createRandom } from '../../packages/core/dist/math/index.js';
import { Client } from '../faults/client.mjs';
import { halfBall } from '../half-ball.mjs';
import { startThrowaway, throwawayFolder, untilReady } from '../throwaway.mjs';
import { copyPiece } from './many-pieces.mjs';

const args = process.argv.slice(2);
const option = (name, otherwise) => (args.includes(name) ? Number(args[args.indexOf(name) + 1]) : otherwise);
const pieces = /^\d+$/.test(args[0] ?? '') ? Number(args[0]) : 200;
const people = option('--people', 20);
const seconds = option('--seconds', 60);
const listeners = option('--listeners', 200);
const SCANS = 10;
/** What a person does, and how often out of a hundred times; between them they look at what they see. */
const PAUSE_MS = 1000;

const random = createRandom(1);
const data = throwawayFolder('load');
const application = await startThrowaway('load', data);
process.on('exit', () => application.supervisor.kill('SIGTERM'));
const client = new Client(application.base, random);
if (!(await untilReady(client))) throw new Error('The server was not ready for two minutes.');

const first = await client.newPiece('Piece 0');
for (let k = 0; k < SCANS; k++) await client.done(await client.upload(first.id, `scan ${k}.ply`, halfBall(2000, k)));
for (const [operation, params] of [
  ['clean.strays', {}],
  ['register.automatic', {}],
  ['fuse.surface', { voxel: 2 }],
  ['mend.all', {}],
  ['check.inspect', {}],
  ['deliver.export', {}],
])
  await client.run(first.id, operation, params);
const db = await openDatabase(application.databaseUrl());
await copyPiece(db, first.id, pieces - 1, (k) => `Piece ${k + 1}`);
const [{ scans, artifacts, steps }] = await db.query(
  `SELECT (SELECT count(*) FROM scan) AS scans, (SELECT count(*) FROM artifact) AS artifacts, (SELECT count(*) FROM step) AS steps`,
);
console.log(
  `${pieces} pieces, ${scans} scans, ${artifacts} artifacts, ${steps} steps; ${people} people, ${listeners} listeners, ${seconds} s`,
);
await db.destroy();

const ids = (await client.get('/api/pieces')).map((p) => p.id);
const times = {};
let faults = 0;
let heard = 0;
const ended = new AbortController();
const listening = Array.from({ length: listeners }, () => listen());
await sleep(1000);
const end = Date.now() + 1000 * seconds;
await Promise.all(Array.from({ length: people }, (_, k) => person(createRandom(100 + k))));
ended.abort();
await Promise.allSettled(listening);
report();
await application.stop();
rmSync(data, { recursive: true, force: true });

/** One who opens pieces, turns them over, writes a note, runs a small step now and then. */
async function person(chance) {
  await sleep(PAUSE_MS * chance());
  while (Date.now() < end) {
    await ask('read: the shelf', 'GET', '/api/pieces');
    const id = ids[Math.floor(chance() * ids.length)];
    const piece = await ask('read: a piece', 'GET', `/api/pieces/${id}`);
    for (let looks = 1 + 3 * chance(); looks > 0 && Date.now() < end; looks--) {
      await sleep(PAUSE_MS * (0.5 + chance()));
      const kind = chance();
      if (kind < 0.4) await ask('read: the ledger', 'GET', `/api/pieces/${id}/steps`);
      else if (kind < 0.7 && piece?.mesh) await ask('read: a surface', 'GET', `/api/artifacts/${piece.mesh.id}/data`);
      else if (kind < 0.9)
        await ask('write: a note', 'PATCH', `/api/pieces/${id}`, { note: `looked at ${Date.now()}` });
      else await ask('write: a step', 'POST', `/api/pieces/${id}/steps`, { operationId: 'check.inspect', params: {} });
    }
  }
}

async function ask(what, method, path, body) {
  const begun = performance.now();
  const answer = await fetch(`${application.base}${path}`, {
    method,
    headers: body ? { 'content-type': 'application/json' } : {},
    body: body && JSON.stringify(body),
  }).catch(() => undefined);
  const bytes = answer ? await answer.arrayBuffer() : undefined;
  (times[what] ??= []).push(performance.now() - begun);
  // A step that is asked for while another of that piece runs waits its turn; a label then is refused in words.
  if (!answer || answer.status >= 500) faults++;
  const isJson = answer?.headers.get('content-type')?.includes('json');
  return isJson ? JSON.parse(new TextDecoder().decode(bytes)) : undefined;
}

async function listen() {
  const answer = await fetch(`${application.base}/api/events`, { signal: ended.signal });
  for await (const part of answer.body) if (new TextDecoder().decode(part).includes('data:')) heard++;
}

function report() {
  const line = (name, list) => {
    if (list.length === 0) return;
    const sorted = list.sort((a, b) => a - b);
    const at = (share) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))].toFixed(0);
    console.log(
      `${name}: ${sorted.length} times, median ${at(0.5)} ms, 95 % within ${at(0.95)} ms, longest ${at(1)} ms`,
    );
  };
  for (const [name, list] of Object.entries(times).sort()) line(name, list);
  for (const kind of ['read', 'write'])
    line(
      `all ${kind}s`,
      Object.entries(times).flatMap(([name, list]) => (name.startsWith(kind) ? list : [])),
    );
  console.log(`${faults} faults, ${heard} events heard`);
}
