import { statfs } from 'node:fs/promises';
import { QueryFailedError } from 'typeorm';

export const DISK_FULL = "The server's disk is full: make room on it. Nothing stored before is lost.";

/** There is not room enough for what was asked. */
export class DiskFullError extends Error {}

/** No room: told by the file system (POSIX ENOSPC, EDQUOT), by PostgreSQL (SQLSTATE 53100), or foreseen here. */
export function isDiskFull(e: unknown): boolean {
  if (e instanceof DiskFullError) return true;
  const code =
    e instanceof QueryFailedError ? (e.driverError as { code?: string }).code : (e as { code?: string })?.code;
  return code === 'ENOSPC' || code === 'EDQUOT' || code === '53100';
}

/**
 * Looks at the room left on the disk before something is taken in. Some is always kept free: a database that finds none
 * stops, and does not start again before there is some.
 */
export class DiskSpace {
  /**
   * @param folder on the disk that is looked at; taken to be the database's too
   * @param keptFree bytes
   */
  constructor(
    private readonly folder: string,
    private readonly keptFree: number,
  ) {}

  /** Bytes that are free, those that are kept among them. */
  async free(): Promise<number> {
    const { bavail, bsize } = await statfs(this.folder);
    return bavail * bsize;
  }

  /** @throws DiskFullError if there is not room for so many bytes more */
  async assertRoomFor(bytes: number): Promise<void> {
    const free = await this.free();
    if (free - this.keptFree >= bytes) return;
    const mb = (n: number): string => `${Math.max(0, Math.round(n / 1e6)).toLocaleString('en-US')} MB`;
    throw new DiskFullError(
      `The server's disk has ${mb(free)} free, of which ${mb(this.keptFree)} are kept; this needs ${mb(bytes)}. Make room on it and send it again. Nothing stored before is lost.`,
    );
  }
}
