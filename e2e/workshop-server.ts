import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { createServer, type AddressInfo } from 'node:net';
import { fileURLToPath } from 'node:url';
import { setTimeout as sleep } from 'node:timers/promises';

const built = (file: string): string => fileURLToPath(new URL(`../apps/server/dist/${file}`, import.meta.url));

/** A second server on the same database, that asks everybody who they are. */
export class WorkshopServer {
  private constructor(
    readonly base: string,
    private readonly child: ChildProcess,
  ) {}

  /** @param administrator whose account is made as `./people` does it */
  static async start(administrator: string, password: string): Promise<WorkshopServer> {
    const added = spawnSync(
      process.execPath,
      [built('accounts/main.js'), 'add', administrator, '--role', 'administrator'],
      { input: `${password}\n`, encoding: 'utf8' },
    );
    if (added.status !== 0) throw new Error(added.stderr);
    const port = await freePort();
    const child = spawn(process.execPath, [built('main.js')], {
      cwd: fileURLToPath(new URL('..', import.meta.url)),
      env: { ...process.env, PORT: String(port), ACCOUNTS: 'on' },
      stdio: 'inherit',
    });
    const server = new WorkshopServer(`http://127.0.0.1:${port}`, child);
    for (let tries = 0; tries < 300; tries++) {
      const answer = await fetch(`${server.base}/health`).catch(() => undefined);
      if (answer?.ok) return server;
      await sleep(200);
    }
    throw new Error('The second server does not start.');
  }

  async stop(): Promise<void> {
    this.child.kill('SIGTERM');
    await once(this.child, 'exit');
  }
}

async function freePort(): Promise<number> {
  const probe = createServer().listen(0, '127.0.0.1');
  await once(probe, 'listening');
  const { port } = probe.address() as AddressInfo;
  probe.close();
  await once(probe, 'close');
  return port;
}
