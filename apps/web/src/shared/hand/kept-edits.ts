/** Of so many surfaces work is kept. */
const MOST = 5;
/** Characters of the edits of one step at most: half of what the server takes. */
const MOST_SENT = 4_000_000;

type Kept<E> = [id: string, edits: E[]][];

/** Work by hand that is not kept as a step yet, in the browser's own store: a closed page loses none of it. */
export class KeptEdits<E> {
  /**
   * @param key of the browser's store
   * @param faultOf what is wrong with a list of edits; what is kept may have been written by an older version
   * @param mostEdits edits of one step at most
   */
  constructor(
    private readonly key: string,
    private readonly faultOf: (edits: unknown) => string | undefined,
    private readonly mostEdits: number,
  ) {}

  /** The edits begun on a surface; none if what is kept can't be read. */
  of(id: string): E[] {
    const edits = this.all().find(([known]) => known === id)?.[1] ?? [];
    return this.faultOf(edits) === undefined ? edits : [];
  }

  /** Keeps the edits of a surface, the newest surfaces first; none forgets them. */
  keep(id: string, edits: readonly E[]): void {
    const others = this.all().filter(([known]) => known !== id);
    const kept = edits.length > 0 ? [[id, edits], ...others].slice(0, MOST) : others;
    try {
      localStorage.setItem(this.key, JSON.stringify(kept));
    } catch {
      // A full store: the work goes on, it only does not outlive the page.
    }
  }

  /** Edits in parts that each can be sent as a step; nearly always a single one. */
  inParts(edits: readonly E[]): E[][] {
    const parts: E[][] = [];
    let room = 0;
    for (const edit of edits) {
      const size = JSON.stringify(edit).length;
      if (size > room || parts[parts.length - 1].length >= this.mostEdits) {
        parts.push([]);
        room = MOST_SENT;
      }
      parts[parts.length - 1].push(edit);
      room -= size;
    }
    return parts;
  }

  private all(): Kept<E> {
    try {
      const value = JSON.parse(localStorage.getItem(this.key) ?? '[]') as unknown;
      return Array.isArray(value) ? (value as Kept<E>) : [];
    } catch {
      return [];
    }
  }
}
