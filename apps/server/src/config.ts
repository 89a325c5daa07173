/** Settings from the environment; everything has a default but the database. */
export interface ServerConfig {
  databaseUrl: string;
  host: string;
  /** Names that this server goes by, besides `localhost` and addresses in numbers. */
  allowedHosts: string[];
  port: number;
  /** Everybody signs in and may do what their account may; else whoever reaches the server may do everything. */
  accounts: boolean;
  /** What whoever reads `/metrics` shows; empty: nothing, where there are no accounts. */
  metricsToken: string;
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

/** Settings that can't be followed, with what to do. */
export class ConfigError extends Error {}

const LOOPBACK = /^(localhost|127(\.\d+){3}|::1|\[::1\])$/i;

/**
 * `ACCOUNTS`: `on`, `off`, or `proxy` where something in front of the server asks who it is. On loopback nobody is asked if
 * nothing is said, elsewhere everybody.
 * @throws ConfigError for a server that others reach and that asks nobody
 */
function wantsAccounts({ ACCOUNTS, HOST = '127.0.0.1' }: NodeJS.ProcessEnv): boolean {
  const alone = LOOPBACK.test(HOST);
  if (ACCOUNTS === undefined || ACCOUNTS === '') return !alone;
  if (ACCOUNTS === 'on') return true;
  if (ACCOUNTS === 'proxy') return false;
  if (ACCOUNTS !== 'off') throw new ConfigError(`ACCOUNTS is ${ACCOUNTS}: say on, off or proxy.`);
  if (!alone)
    throw new ConfigError(
      `With HOST=${HOST} others reach this server, and ACCOUNTS=off lets everybody do everything. Take one of them back, or say ACCOUNTS=proxy if a proxy in front of it asks who it is.`,
    );
  return false;
}

/** @throws ConfigError */
export function readConfig(env: NodeJS.ProcessEnv = process.env): ServerConfig {
  if (!env.DATABASE_URL) throw new Error('DATABASE_URL is not set. Start with ./start, or name a PostgreSQL database.');
  return {
    databaseUrl: env.DATABASE_URL,
    host: env.HOST ?? '127.0.0.1',
    allowedHosts: [env.HOST, ...(env.ALLOWED_HOSTS ?? '').split(',')].flatMap((h) =>
      h?.trim() ? [h.trim().toLowerCase()] : [],
    ),
    port: Number(env.PORT ?? 4780),
    accounts: wantsAccounts(env),
    metricsToken: env.METRICS_TOKEN ?? '',
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
