import { readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { DataSource } from 'typeorm';
import type { BlobStore } from '../storage/blob-store.js';

const DAY_MS = 24 * 3600 * 1000;
/** Files of imports that failed or were cancelled can be asked for again for so many days. */
const REFUSED_SOURCES_DAYS = 7;

/** What was cleared away. */
export interface Cleared {
  files: number;
  sources: number;
  blobs: number;
  bytes: number;
}

/** Clears away what nobody will come back for: uploads never finished, files of refused imports, blobs without owner. */
export class Housekeeping {
  private timer?: NodeJS.Timeout;

  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly uploadDir: string,
  ) {}

  /** Clears now and every hour. Without a database, or beside storing, it is for the next time. */
  start(): void {
    const clear = (): void => void this.clear().catch(() => undefined);
    clear();
    this.timer = setInterval(clear, 3_600_000);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  async clear(): Promise<Cleared> {
    const files = await this.staleFiles();
    for (const file of files) await rm(file, { force: true });
    // What failed for a question that nobody answered can still be looked at in the ledger; only its file goes.
    const [, sources] = (await this.db.query(
      `UPDATE step SET source_sha256 = NULL WHERE source_sha256 IS NOT NULL AND status IN ('failed', 'cancelled')
         AND finished_at < now() - make_interval(days => $1)`,
      [REFUSED_SOURCES_DAYS],
    )) as [unknown, number];
    return { files: files.length, sources, ...(await this.blobs.sweep()) };
  }

  /** Files of uploads and of work that nobody has written to for a day. */
  async staleFiles(now = Date.now()): Promise<string[]> {
    const entries = await readdir(this.uploadDir, { recursive: true, withFileTypes: true }).catch(() => []);
    const stale: string[] = [];
    for (const entry of entries) {
      if (!entry.isFile()) continue;
      const path = join(entry.parentPath, entry.name);
      // An upload's description is written once: it is as old as the bytes beside it, if there are any.
      const beside = path.endsWith('.json') ? path.slice(0, -5) : path;
      const written = await Promise.all([path, beside].map(lastWritten));
      if (written.some((ms) => ms > 0) && now - Math.max(...written) > DAY_MS) stale.push(path);
    }
    return stale;
  }
}

/** When a file was last written to, ms; 0 if it is gone. */
const lastWritten = (path: string): Promise<number> =>
  stat(path).then(
    (s) => s.mtimeMs,
    () => 0,
  );
