import { createApp } from './create-app.js';
import { readConfig } from './config.js';
import { StepQueue } from './steps/step-queue.js';

const config = readConfig();
const app = await createApp(config);
await app.listen(config.port, config.host);
const recovery = setInterval(
  () =>
    void app
      .get(StepQueue)
      .recoverLost()
      .catch(() => undefined),
  3000,
);
console.log(`Server ready on http://${config.host}:${config.port}`);

const stop = async (): Promise<void> => {
  clearInterval(recovery);
  // Open event streams would keep the server waiting.
  setTimeout(() => process.exit(0), 1500).unref();
  await app.close();
  process.exit(0);
};
process.once('SIGTERM', () => void stop());
process.once('SIGINT', () => void stop());
