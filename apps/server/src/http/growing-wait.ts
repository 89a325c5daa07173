/** The longest wait, s. */
const LONGEST = 300;
/** Whom to forget first when there are too many to remember. */
const MOST_REMEMBERED = 10_000;

/** Makes whoever guesses wait: twice as long after each wrong try. */
export class GrowingWait {
  private readonly failures = new Map<string, { count: number; until: number }>();

  /** @param freeTries wrong tries that cost nothing */
  constructor(
    private readonly freeTries = 3,
    private readonly now: () => number = Date.now,
  ) {}

  /** Seconds until the next try; 0 if it may be made now. */
  of(whom: string): number {
    return Math.max(0, Math.ceil(((this.failures.get(whom)?.until ?? 0) - this.now()) / 1000));
  }

  failed(whom: string): void {
    const count = (this.failures.get(whom)?.count ?? 0) + 1;
    const seconds = count < this.freeTries ? 0 : Math.min(LONGEST, 2 ** (count - this.freeTries));
    this.failures.delete(whom);
    this.failures.set(whom, { count, until: this.now() + 1000 * seconds });
    if (this.failures.size > MOST_REMEMBERED) this.failures.delete(this.failures.keys().next().value!);
  }

  succeeded(whom: string): void {
    this.failures.delete(whom);
  }
}
