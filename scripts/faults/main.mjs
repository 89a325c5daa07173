// Puts the whole application under faults while it works: node scripts/faults/main.mjs [COUNT] [--seed N] [--within SECONDS]
// Real steps and uploads run; after each fault it must be well again by itself, and nothing may be lost, stuck or twice.
import { execFileSync, spawnSync } from 'node:child_process';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { Housekeeping } from '../../apps/server/dist/housekeeping/housekeeping.js';
import { findViolations } from '../../apps/server/dist/check/invariants.js';
import { openDatabase } from '../../apps/server/dist/database/data-source.js';
import { onceReachable } from '../../apps/server/dist/database/connection-fault.js';
import { StepQueue } from '../../apps/server/dist/steps/step-queue.js';
import { BlobStore } from '../../apps/server/dist/storage/blob-store.js';
import { createRandom } from '../../packages/core/dist/math/index.js';
import { halfBall } from '../half-ball.mjs';
import { startThrowaway, throwawayFolder, untilReady } from '../throwaway.mjs';
import { Client } from './client.mjs';
import { FAULTS } from './faults.mjs';

const args = process.argv.slice(2);
const count = Number(args.find((a) => /^\d+$/.test(a)) ?? 20);
const option = (name, otherwise) => (args.includes(name) ? Number(args[args.indexOf(name) + 1]) : otherwise);
const seed = option('--seed', 1);
/** So soon all is well again, from the end of the fault: 15 s are wanted, but a machine may be busy with other work. */
const RECOVERY_MS = 1000 * option('--within', 120);
/** One more than work is asked for at once, so that one is free to show that all is well. */
const WORKERS = 3;

const random = createRandom(seed);
const pick = (list) => list[Math.floor(random() * list.length)];
const data = throwawayFolder('faults');
const small = mountSmallDisk();
const application = await startThrowaway('faults', data, {
  WORKERS: String(WORKERS),
  KEPT_FREE_BYTES: String(40e6),
});
const { supervisor } = application;
const wrong = [];
const slow = [];
let stopping = false;
// Whatever ends this, the application and its small disk go with it.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.once(signal, () => process.exit(1));
process.on('exit', () => {
  if (supervisor.exitCode === null) supervisor.kill('SIGTERM');
  if (small) spawnSync('umount', ['-l', data], { stdio: 'ignore' });
});
supervisor.on('exit', (code) => {
  if (stopping) return;
  console.log(`WRONG: the supervisor ended (${code}); see amber-faults.log in the folder for temporary files.`);
  process.exit(1);
});

const client = new Client(application.base, random);
await well();
const db = await openDatabase(application.databaseUrl());
const blobs = new BlobStore(db);
const stores = {
  db,
  blobs,
  queue: new StepQueue(db),
  housekeeping: new Housekeeping(db, blobs, join(data, 'uploads')),
};
const state = { pid: supervisor.pid, data, db, client, random, pick, sleepMs: 20_000 };

const canary = await client.newPiece('canary');
await client.done(await client.upload(canary.id, 'canary.ply', halfBall(300, 0)));
let jobs = 0;
let finished = 0;
const working = [1, 2].map(() => work());

const kinds = Object.keys(FAULTS).filter((k) => small || k !== 'a full disk');
const times = {};
for (let k = 0; k < count && wrong.length === 0; k++) {
  // Each kind in turn, in an order of its own, then again: none is left to chance.
  if (k % kinds.length === 0) shuffle(kinds);
  const kind = kinds[k % kinds.length];
  await sleep(500 + 2500 * random());
  await onceReachable(() => FAULTS[kind](state));
  const begun = Date.now();
  await well();
  await client.run(canary.id, 'clean.strays');
  const ms = Date.now() - begun;
  (times[kind] ??= []).push(ms);
  if (ms > RECOVERY_MS) slow.push(`${kind}: well again only after ${(ms / 1000).toFixed(1)} s`);
  for (const v of await onceReachable(() => findViolations(stores))) wrong.push(`after ${kind}: ${v.rule}: ${v.what}`);
  console.log(`${k + 1}/${count} ${kind}: well after ${(ms / 1000).toFixed(1)} s`);
}
stopping = true;
const late = sleep(300_000).then(() => wrong.push('Work did not come to its end in five minutes.'));
await Promise.race([Promise.all(working), late]);
for (const v of await findViolations(stores)) wrong.push(`at the end: ${v.rule}: ${v.what}`);
const open = await db.query(`SELECT id FROM step WHERE status IN ('queued', 'running')`);
if (open.length > 0) wrong.push(`${open.length} steps are still open.`);
await db.destroy();
await application.stop();
if (small) execFileSync('umount', [data]);
rmSync(data, { recursive: true, force: true });

for (const [kind, ms] of Object.entries(times).sort())
  console.log(`${kind}: ${ms.length} times, well after ${(Math.max(...ms) / 1000).toFixed(1)} s at most`);
if (!small) console.log('A full disk was not tried: a small file system can only be mounted as root.');
console.log(`${finished} jobs came to their end under faults, ${jobs - finished} did not.`);
for (const line of [...wrong, ...slow]) console.log(`WRONG: ${line}`);
process.exit(wrong.length + slow.length > 0 ? 1 : 0);

/** Real work, over and over: files come in, are cleaned, joined, fused, mended and written; steps are undone and done again. */
async function work() {
  while (!stopping && wrong.length === 0) {
    const id = ++jobs;
    try {
      await job(`job ${id}`, id);
      finished++;
    } catch (e) {
      wrong.push(`job ${id}: ${e instanceof Error ? e.message : String(e)}`);
    }
  }
}

async function job(name, id) {
  const piece = await client.newPiece(name);
  for (const side of ['left', 'right']) {
    await client.done(await client.upload(piece.id, `${side}.ply`, halfBall(4000 + id, side === 'left' ? 0 : 1)));
  }
  const scans = (await client.get(`/api/pieces/${piece.id}`)).scanList.map((s) => s.name);
  if (scans.join() !== 'left,right') throw new Error(`it has the scans ${scans.join(', ')}, not left and right`);
  await client.run(piece.id, 'clean.strays');
  await client.run(piece.id, 'register.automatic');
  await client.run(piece.id, 'fuse.surface', { voxel: 1.5 });
  const fused = await client.get(`/api/pieces/${piece.id}`);
  await client.run(piece.id, 'mend.all');
  const versions = (await client.get(`/api/pieces/${piece.id}/versions`)).length;
  // Undo may have gone through though its answer was lost: then the next one would go too far. Versions are named instead.
  const list = await client.get(`/api/pieces/${piece.id}/versions`);
  await client.call('POST', `/api/pieces/${piece.id}/versions/${list.at(-2).id}`);
  const undone = await client.get(`/api/pieces/${piece.id}`);
  if (undone.mesh?.id !== fused.mesh?.id) throw new Error('undo gave another surface than there was before');
  await client.call('POST', `/api/pieces/${piece.id}/versions/${list.at(-1).id}`);
  if ((await client.get(`/api/pieces/${piece.id}/versions`)).length !== versions) throw new Error('versions were lost');
  const written = await client.run(piece.id, 'deliver.export');
  if (written.outputs.length !== 1) throw new Error(`exporting made ${written.outputs.length} files`);
}

/** Waits until the server says that it is ready. */
async function well() {
  if (!(await untilReady(client))) wrong.push('The server was not ready for two minutes.');
}

function shuffle(list) {
  for (let i = list.length - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [list[i], list[j]] = [list[j], list[i]];
  }
}

/** A small file system of its own, so that a full disk is full for nobody else. @returns false if that can't be had */
function mountSmallDisk() {
  try {
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=900m,mode=711', 'tmpfs', data], { stdio: 'ignore' });
    return true;
  } catch {
    return false;
  }
}
