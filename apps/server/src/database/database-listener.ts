import pg from 'pg';

const FIRST_WAIT_MS = 200;
const LONGEST_WAIT_MS = 2000;
/** A connection that lies dead without a word is found by asking it. */
const ASK_EVERY_MS = 5000;

export interface Listening {
  channels: readonly string[];
  heard(channel: string, payload: string): void;
  /** It listens, for the first time or again: what was told meanwhile was not heard. */
  connected?(again: boolean): void;
}

/** Hears what is told through PostgreSQL's NOTIFY, and connects anew for ever when the database was away. */
export class DatabaseListener {
  private client?: pg.Client;
  private closed = false;
  private again = false;
  private waitMs = FIRST_WAIT_MS;
  private timer?: NodeJS.Timeout;

  constructor(
    private readonly databaseUrl: string,
    private readonly listening: Listening,
  ) {}

  /** Listens from now on; resolves after the first try, whether it went well or not. */
  async start(): Promise<void> {
    const client = new pg.Client({ connectionString: this.databaseUrl, keepAlive: true });
    let ended = false;
    const lost = (): void => {
      if (ended) return;
      ended = true;
      clearInterval(ask);
      client.removeAllListeners('notification');
      void client.end().catch(() => undefined);
      if (this.closed) return;
      this.timer = setTimeout(() => void this.start(), this.waitMs);
      this.waitMs = Math.min(LONGEST_WAIT_MS, 2 * this.waitMs);
    };
    const ask = setInterval(() => {
      const late = setTimeout(lost, ASK_EVERY_MS);
      client.query('SELECT 1').then(
        () => clearTimeout(late),
        () => (clearTimeout(late), lost()),
      );
    }, ASK_EVERY_MS);
    client.on('error', lost);
    client.on('end', lost);
    client.on('notification', (n) => this.listening.heard(n.channel, n.payload ?? ''));
    this.client = client;
    try {
      await client.connect();
      await client.query(this.listening.channels.map((c) => `LISTEN ${client.escapeIdentifier(c)}`).join('; '));
      if (ended || this.closed) return;
      this.waitMs = FIRST_WAIT_MS;
      this.listening.connected?.(this.again);
      this.again = true;
    } catch {
      lost();
    }
    if (this.closed) lost();
  }

  async stop(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    await this.client?.end().catch(() => undefined);
  }
}
