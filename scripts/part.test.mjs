import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Part, SETTLED } from './part.mjs';

const quiet = { log: () => undefined };
/** A process that writes a line to a file and then does something. */
function part(script, options = {}) {
  const file = join(mkdtempSync(join(tmpdir(), 'amber-part-')), 'runs');
  const code = `require('fs').appendFileSync(${JSON.stringify(file)}, 'x');${script}`;
  const start = () => spawn(process.execPath, ['-e', code], { stdio: ['ignore', 'ignore', 'pipe'] });
  const made = new Part('The part', start, { ...quiet, ...options });
  return { made, runs: () => readFileSync(file, 'utf8').length };
}
async function until(holds) {
  for (;;) {
    try {
      if (holds()) return;
    } catch {
      // Not yet.
    }
    await new Promise((r) => setTimeout(r, 20));
  }
}

beforeAll(() => {
  // What is started anew is told; the tests need not show it.
  console.error = () => undefined;
});

test('what it says may find no room: it runs on', async () => {
  const full = () => {
    throw Object.assign(new Error('ENOSPC: no space left on device, write'), { code: 'ENOSPC' });
  };
  const { made, runs } = part(`process.stderr.write('a fault'); setTimeout(() => process.exit(3), 50)`, { log: full });
  const ended = made.run();
  await until(() => runs() >= 2);
  await made.stop();
  expect(await ended).toBeUndefined();
});

test('a part that is killed is started again, until it is told to stop', async () => {
  const { made, runs } = part('setInterval(() => 0, 1000)');
  const ended = made.run();
  await until(() => runs() === 1);
  const first = made.pid;
  process.kill(first, 'SIGKILL');
  await until(() => runs() === 2);
  expect(made.pid).not.toBe(first);
  await made.stop();
  expect(await ended).toBeUndefined();
  expect(runs()).toBe(2);
});

test('a part that says it would fail again is not started again, and its reason is told', async () => {
  const { made, runs } = part(`console.error('Port 1 is taken.');process.exitCode = ${SETTLED}`);
  expect(await made.run()).toBe("The part can't run: Port 1 is taken.");
  expect(runs()).toBe(1);
});

test('a part that does not stop by itself is ended by force', async () => {
  const { made, runs } = part("process.on('SIGTERM', () => 0); setInterval(() => 0, 1000)");
  const ended = made.run();
  await until(() => runs() === 1);
  await made.stop(300);
  expect(await ended).toBeUndefined();
});

test('nothing is started while it may not be, such as without room on the disk', async () => {
  let room = false;
  const mayStart = async (given) => {
    while (!room && !given()) await new Promise((r) => setTimeout(r, 10));
  };
  const { made, runs } = part('setInterval(() => 0, 1000)', { mayStart });
  const ended = made.run();
  await new Promise((r) => setTimeout(r, 100));
  expect(made.pid).toBeUndefined();
  room = true;
  await until(() => runs() === 1);
  await made.stop();
  await ended;
});
