// For commands beside ./start: DATABASE_URL, or the database of DATA_DIR (.data), whether ./start runs there or not.
import { readFileSync } from 'node:fs';
import { Cluster, freePort } from './cluster.mjs';

const data = process.env.DATA_DIR ?? '.data';

/** Whether ./start runs on this data. */
export function isRunning() {
  try {
    const { pid } = JSON.parse(readFileSync(`${data}/running.json`, 'utf8'));
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('supervise.mjs');
  } catch {
    return false;
  }
}

/** Does something with the database; one that does not run is started for it and stopped again. */
export async function withDatabase(use) {
  if (process.env.DATABASE_URL) return use(process.env.DATABASE_URL);
  if (isRunning()) return use(readFileSync(`${data}/database-url`, 'utf8').trim());
  const cluster = new Cluster(`${data}/postgres`, await freePort());
  cluster.prepare();
  cluster.start();
  try {
    cluster.prepareDatabase();
    return use(cluster.url);
  } finally {
    cluster.stop();
  }
}
