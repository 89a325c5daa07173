/** Settings from the environment; everything has a default but the database. */
export interface ServerConfig {
  databaseUrl: string;
  host: string;
  /** Names that this server goes by, besides `localhost` and addresses in numbers. */
  allowedHosts: string[];
  port: number;
  /** Folder of unfinished uploads. */
  uploadDir: string;
  /** Built browser files. */
  webDir: string;
  maxUploadBytes: number;
  /** Bytes of the disk that are never filled: the database needs some to go on. */
  keptFreeBytes: number;
  /** Where devices are listed and reached (docs/device-protocol.md). */
  devicesUrl: string;
  /** Where shared views, and nothing else, are served besides: a port of its own, 0 for none. */
  sharedPort: number;
  sharedHost: string;
  /** What the addresses of shared views begin with; empty: where the page that makes them is. */
  sharedOrigin: string;
}

export function readConfig(env: NodeJS.ProcessEnv = process.env): ServerConfig {
  if (!env.DATABASE_URL) throw new Error('DATABASE_URL is not set. Start with ./start, or name a PostgreSQL database.');
  return {
    databaseUrl: env.DATABASE_URL,
    host: env.HOST ?? '127.0.0.1',
    allowedHosts: [env.HOST, ...(env.ALLOWED_HOSTS ?? '').split(',')].flatMap((h) =>
      h?.trim() ? [h.trim().toLowerCase()] : [],
    ),
    port: Number(env.PORT ?? 4780),
    uploadDir: env.UPLOAD_DIR ?? '.data/uploads',
    webDir: env.WEB_DIR ?? 'apps/web/dist',
    devicesUrl: env.DEVICES_URL ?? `http://127.0.0.1:${env.DEVICES_PORT ?? 4781}`,
    sharedPort: Number(env.SHARED_PORT ?? 0),
    sharedHost: env.SHARED_HOST ?? '127.0.0.1',
    sharedOrigin: (env.SHARED_ORIGIN ?? '').replace(/\/+$/, ''),
    maxUploadBytes: Number(env.MAX_UPLOAD_BYTES ?? 4 * 1024 ** 3),
    keptFreeBytes: Number(env.KEPT_FREE_BYTES ?? 512 * 1024 ** 2),
  };
}
