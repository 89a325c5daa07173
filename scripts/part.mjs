import { setTimeout as sleep } from 'node:timers/promises';

/** Exit code of a part that would fail the same way again (EX_CONFIG of sysexits.h): it is not started anew. */
export const SETTLED = 78;
const FIRST_WAIT_MS = 300;
const LONGEST_WAIT_MS = 10_000;
/** Whoever ran so long was well: the next failure counts as the first. */
const WELL_AFTER_MS = 60_000;
const MOST_FAILURES = 12;

/** One process that is to run for as long as the application does: it is started again, after growing waits. */
export class Part {
  #child;
  #stopping = false;
  #said = '';

  /**
   * @param name as a person calls it, such as "The server"
   * @param start gives the child process
   * @param options `signal` that ends it; `mayStart`, waited for before each start, such as for room on the disk;
   *   `log`, which takes what it says of faults
   */
  constructor(
    name,
    start,
    { signal = 'SIGTERM', mayStart = async () => undefined, log = (text) => process.stderr.write(text) } = {},
  ) {
    this.name = name;
    this.start = start;
    this.signal = signal;
    this.mayStart = mayStart;
    this.log = log;
  }

  get pid() {
    return this.#child?.pid;
  }

  /** Runs it until `stop`. @returns why it can't go on, or nothing after `stop` */
  async run() {
    let failures = 0;
    while (!this.#stopping) {
      await this.mayStart(() => this.#stopping);
      if (this.#stopping) return undefined;
      const begun = Date.now();
      const how = await this.#once();
      if (this.#stopping) return undefined;
      if (how === SETTLED) return `${this.name} can't run: ${this.#said || 'see above'}`;
      failures = Date.now() - begun > WELL_AFTER_MS ? 1 : failures + 1;
      if (failures > MOST_FAILURES)
        return `${this.name} ended ${failures} times in a row (${how}). ${this.#said ? `It said: ${this.#said}` : ''}`;
      const waitMs = Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** (failures - 1));
      console.error(`${this.name} ended (${how}) and is started again.`);
      await sleep(waitMs);
    }
    return undefined;
  }

  #once() {
    return new Promise((resolve) => {
      const child = this.start();
      this.#child = child;
      child.stderr?.on('data', (data) => {
        try {
          this.log(data);
        } catch {
          // A full disk, or a closed terminal: no reason to end.
        }
        this.#said = String(data).trim().split('\n').at(-1).slice(0, 300);
      });
      child.on('error', (e) => resolve(e.message));
      child.on('exit', (code, signal) => resolve(signal ?? code));
    });
  }

  /** Ends it, by force if it takes too long. */
  async stop(timeoutMs = 15_000) {
    this.#stopping = true;
    const child = this.#child;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill(this.signal);
    const force = setTimeout(() => child.kill('SIGKILL'), timeoutMs);
    await gone;
    clearTimeout(force);
  }
}
