import { setTimeout as sleep } from 'node:timers/promises';
import { DataSource } from 'typeorm';
import { createApp } from './create-app.js';
import { PeopleService } from './accounts/people.service.js';
import { ConfigError, readConfig, type ServerConfig } from './config.js';
import { NewerSchemaError } from './database/data-source.js';
import { Housekeeping } from './housekeeping/housekeeping.js';
import { sayReady } from './log/log.js';
import { listenForSharedViews } from './shared-views/shared-listener.js';
import { StepQueue } from './steps/step-queue.js';
import { BlobStore } from './storage/blob-store.js';

const config = understood();
const app = await createApp(config).catch((e: unknown) => {
  if (e instanceof NewerSchemaError) giveUp(e.message);
  throw e;
});
if (config.accounts && !(await app.get(PeopleService).hasAdministrator()))
  giveUp(
    'There are to be accounts, and nobody is administrator yet. Make the first one with: ./people add NAME --role administrator',
  );
await onceFree(config.port, () => app.listen(config.port, config.host));
const shared =
  config.sharedPort > 0 ? await onceFree(config.sharedPort, () => listenForSharedViews(app, config)) : undefined;
const recovery = setInterval(
  () =>
    void app
      .get(StepQueue)
      .recoverLost()
      .catch(() => undefined),
  3000,
);
new Housekeeping(app.get(DataSource), app.get(BlobStore), config.uploadDir).start();
sayReady(`Server ready on http://${config.host}:${config.port}`);

const stop = async (): Promise<void> => {
  clearInterval(recovery);
  shared?.close();
  // Open event streams would keep the server waiting.
  setTimeout(() => process.exit(0), 1500).unref();
  await app.close();
  process.exit(0);
};
for (const signal of ['SIGTERM', 'SIGINT', 'SIGHUP', 'disconnect'] as const) process.once(signal, () => void stop());

function understood(): ServerConfig {
  try {
    return readConfig();
  } catch (e) {
    if (e instanceof ConfigError) giveUp(e.message);
    throw e;
  }
}

/** Listens; whoever had the port before may need a moment to go. */
async function onceFree<T>(port: number, listen: () => Promise<T>): Promise<T> {
  for (let tries = 0; ; tries++) {
    try {
      return await listen();
    } catch (e) {
      if ((e as { code?: string }).code !== 'EADDRINUSE') throw e;
      if (tries === 20) giveUp(`Port ${port} is used by another program. Stop that, or choose another.`);
      await sleep(500);
    }
  }
}

/** Ends for a reason that starting again would not mend (EX_CONFIG of sysexits.h). */
function giveUp(reason: string): never {
  console.error(reason);
  process.exit(78);
}
