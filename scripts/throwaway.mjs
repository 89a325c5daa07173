// The whole application with data of its own that go with it, for commands that try it.
import { spawn } from 'node:child_process';
import { chmodSync, mkdtempSync, openSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { freePort } from './cluster.mjs';

/** A folder for data, which the database's own user may pass through. */
export function throwawayFolder(name) {
  const data = mkdtempSync(join(tmpdir(), `amber-${name}-`));
  chmodSync(data, 0o711);
  return data;
}

/**
 * Starts it, without demo data. What it says goes to amber-NAME.log in the folder for temporary files.
 * @param env more of its environment
 * @returns its address, the supervising process, the address of its database once it is there, and what stops it
 */
export async function startThrowaway(name, data, env = {}) {
  const port = await freePort();
  const log = openSync(join(tmpdir(), `amber-${name}.log`), 'w');
  const supervisor = spawn(process.execPath, ['scripts/supervise.mjs'], {
    env: {
      ...process.env,
      DATABASE_URL: '',
      DATA_DIR: data,
      UPLOAD_DIR: join(data, 'uploads'),
      PORT: String(port),
      DEVICES_PORT: String(await freePort()),
      OPEN_SEED: '0',
      ...env,
    },
    stdio: ['ignore', log, log],
  });
  return {
    base: `http://127.0.0.1:${port}`,
    supervisor,
    databaseUrl: () => readFileSync(join(data, 'database-url'), 'utf8'),
    stop: async () => {
      supervisor.kill('SIGTERM');
      await new Promise((resolve) => supervisor.once('exit', resolve));
    },
  };
}

/** Waits until the server of a client says that it is ready. @returns false if it does not for two minutes */
export async function untilReady(client) {
  for (const end = Date.now() + 120_000; Date.now() < end; await sleep(100)) {
    const answer = await client.call('GET', '/ready', undefined, { once: true });
    if (answer?.status === 200) return true;
  }
  return false;
}
