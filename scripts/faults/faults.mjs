import { openSync, closeSync, ftruncateSync, readdirSync, readFileSync, rmSync, statfsSync, writeSync } from 'node:fs';
import { setTimeout as sleep } from 'node:timers/promises';

/** Processes that the supervisor started, by what they run. */
function parts(supervisor) {
  const found = { server: [], worker: [], devices: [], database: [] };
  for (const pid of readdirSync('/proc').filter((n) => /^\d+$/.test(n))) {
    try {
      const parent = Number(
        readFileSync(`/proc/${pid}/stat`, 'utf8')
          .replace(/^.*\) /s, '')
          .split(' ')[1],
      );
      if (parent !== supervisor) continue;
      const line = readFileSync(`/proc/${pid}/cmdline`, 'utf8');
      const kind = /worker\/main\.js/.test(line)
        ? 'worker'
        : /server\/dist\/main\.js/.test(line)
          ? 'server'
          : /devices\/dist/.test(line)
            ? 'devices'
            : /bin\/postgres/.test(line)
              ? 'database'
              : undefined;
      if (kind) found[kind].push(Number(pid));
    } catch {
      // It ended meanwhile.
    }
  }
  return found;
}

function send(pid, signal) {
  try {
    if (pid) process.kill(pid, signal);
  } catch {
    // It ended meanwhile.
  }
}

/** A child of a process: for PostgreSQL one that serves a connection. */
function childOf(parent, random) {
  const children = readdirSync('/proc').filter((pid) => {
    try {
      return (
        /^\d+$/.test(pid) &&
        Number(
          readFileSync(`/proc/${pid}/stat`, 'utf8')
            .replace(/^.*\) /s, '')
            .split(' ')[1],
        ) === parent &&
        /amberknit/.test(readFileSync(`/proc/${pid}/cmdline`, 'utf8'))
      );
    } catch {
      return false;
    }
  });
  return Number(children[Math.floor(random() * children.length)]);
}

/**
 * What can go wrong, by name. Each is done to a running system and returns once the fault itself is over: what was ended has
 * been ended, what slept is awake, what was full has room.
 */
export const FAULTS = {
  'kill -9 of a worker': async (s) => send(s.pick(parts(s.pid).worker), 'SIGKILL'),
  'kill -9 of the server': async (s) => send(parts(s.pid).server[0], 'SIGKILL'),
  'kill -9 of the database': async (s) => send(parts(s.pid).database[0], 'SIGKILL'),
  'kill -9 of one connection of the database': async (s) =>
    send(childOf(parts(s.pid).database[0], s.random), 'SIGKILL'),
  'restart of the database': async (s) => send(parts(s.pid).database[0], 'SIGINT'),
  'a worker told to stop': async (s) => send(s.pick(parts(s.pid).worker), 'SIGTERM'),
  'a server told to stop': async (s) => send(parts(s.pid).server[0], 'SIGTERM'),
  'a worker that sleeps': async (s) => {
    const pid = s.pick(parts(s.pid).worker);
    send(pid, 'SIGSTOP');
    await sleep(s.sleepMs);
    send(pid, 'SIGCONT');
  },
  'a server that sleeps': async (s) => {
    const [pid] = parts(s.pid).server;
    send(pid, 'SIGSTOP');
    await sleep(s.sleepMs / 4);
    send(pid, 'SIGCONT');
  },
  'all connections of the database dropped': async (s) => {
    await s.db.query(
      'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = current_user AND pid <> pg_backend_pid()',
    );
  },
  'uploads cut in the middle': async (s) => {
    s.client.cutConnections = true;
    await sleep(4000);
    s.client.cutConnections = false;
  },
  'kill -9 of the devices': async (s) => send(parts(s.pid).devices[0], 'SIGKILL'),
  'a full disk': async (s) => {
    const filler = `${s.data}/filler`;
    const file = openSync(filler, 'w');
    try {
      const { bavail, bsize } = statfsSync(s.data);
      const block = Buffer.alloc(1 << 20);
      try {
        for (let n = bavail * bsize; n > 0; n -= block.length) writeSync(file, block);
      } catch {
        // Full: as wanted.
      }
      await sleep(5000);
      ftruncateSync(file, 0);
    } finally {
      closeSync(file);
      rmSync(filler, { force: true });
    }
  },
};
