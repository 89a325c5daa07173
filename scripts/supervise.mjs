// Runs database, server, workers and simulated devices until told to stop; what ends is started again.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';
import { Cluster, freePort } from './cluster.mjs';
import { Part } from './part.mjs';

const data = process.env.DATA_DIR ?? '.data';
const running = `${data}/running.json`;
process.env.UPLOAD_DIR ??= `${data}/uploads`;
mkdirSync(data, { recursive: true });
refuseSecond();
writeFileSync(running, JSON.stringify({ pid: process.pid }));

/** The database needs some room to start at all. */
const ROOM_TO_START = 64 * 1024 * 1024;
const parts = [];
let stopping = false;
let endReason;
let ended;
const end = new Promise((resolve) => (ended = resolve));

/** Runs a part; one that can't go on ends all, with its reason. */
function supervise(part) {
  parts.push(part);
  part.run().then((reason) => {
    if (!reason || stopping) return;
    endReason ??= reason;
    ended();
  });
}

/** A process of Node that ends when this one does, however it ends: the channel between them closes then. */
function node(name, file, env = {}) {
  return new Part(name, () => {
    const child = spawn(process.execPath, [file], {
      env: { ...process.env, ...env },
      stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
      detached: true,
    });
    child.stdout.on('data', (text) => {
      const ready = /Server ready on ([^\s"]+)/.exec(String(text));
      if (!ready) return process.stdout.write(text);
      try {
        writeFileSync(running, JSON.stringify({ pid: process.pid, url: ready[1] }));
      } catch {
        // The disk is full; who starts a second one is told without the address.
      }
      console.log(`\nAmber Knit is at ${ready[1]}\nStop it with Ctrl-C.\n`);
    });
    return child;
  });
}

/** Two at once would fight for one port and one database. */
function refuseSecond() {
  let other;
  try {
    other = JSON.parse(readFileSync(running, 'utf8'));
    if (!readFileSync(`/proc/${other.pid}/cmdline`, 'utf8').includes('supervise.mjs')) return;
  } catch {
    return;
  }
  console.error(`Amber Knit runs already${other.url ? ` at ${other.url}` : ''} (process ${other.pid}).`);
  console.error(`Stop it with Ctrl-C where it was started, or with: kill ${other.pid}`);
  process.exit(1);
}

/** @param given tells whether it is no longer wanted */
async function untilRoom(given) {
  let said = false;
  while (!given()) {
    const { bavail, bsize } = statfsSync(data);
    if (bavail * bsize > ROOM_TO_START) return;
    if (!said) console.error('The disk is full: the database starts again once there is room on it.');
    said = true;
    await sleep(1000);
  }
}

// What it says may go to a pipe that is closed, or to a full disk: it goes on in silence.
for (const out of [process.stdout, process.stderr]) out.on('error', () => undefined);
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => ended());

let cluster;
if (!process.env.DATABASE_URL) {
  cluster = new Cluster(`${data}/postgres`, await freePort());
  cluster.prepare();
  // What it logs is for who looks for it.
  const log = (text) => writeFileSync(`${data}/postgres.log`, text, { flag: 'a', mode: 0o600 });
  supervise(new Part('The database', () => cluster.spawn(), { signal: 'SIGINT', mayStart: untilRoom, log }));
  if (!(await cluster.answers())) throw new Error(`The database does not start; see ${data}/postgres.log.`);
  cluster.prepareDatabase();
  process.env.DATABASE_URL = cluster.url;
}
// For commands beside the running application, such as `amberknit check`.
writeFileSync(`${data}/database-url`, process.env.DATABASE_URL, { mode: 0o600 });

const app = 'apps/server/dist';
if (process.env.OPEN_SEED !== '0') spawnSync(process.execPath, [`${app}/seed.js`], { stdio: 'inherit' });
supervise(node('The server', `${app}/main.js`));
for (let i = 0; i < Number(process.env.WORKERS ?? 1); i++) supervise(node('A worker', `${app}/worker/main.js`));
// Other adapters can be named instead of the simulated devices.
if (!process.env.DEVICES_URL) supervise(node('The device service', 'apps/devices/dist/main.js'));

await end;
stopping = true;
const [database, ...others] = cluster ? parts : [undefined, ...parts];
await Promise.all(others.map((p) => p.stop()));
await database?.stop(60_000);
rmSync(running, { force: true });
if (endReason) console.error(`Amber Knit ends: ${endReason}`);
process.exit(endReason ? 1 : 0);
