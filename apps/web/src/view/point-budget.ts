/** How long a picture may take: while the view moves, and once it rests, ms. */
const MOVING_MS = 45;
const RESTING_MS = 600;
/** Fewer points than this are always drawn. */
const LEAST = 120_000;
/** Points drawn in a millisecond, as long as nothing has been measured: with and without a graphics card. */
const FIRST_RATE = { card: 60_000, software: 4000 };
/** The first picture without a graphics card: shaders are made and points are brought over with it. */
const FIRST_PICTURE = 16_000;

/** So much more is tried after a picture that went well. */
const BOLDER = 1.3;

/**
 * How many points to draw, learnt from how long pictures take: few while the view moves so that it follows the hand,
 * many once it rests. What a picture costs besides its points (edges, say) is learnt from those with few.
 */
export class PointBudget {
  private rate: number;
  private readonly first: number;
  /** No picture with points has been drawn yet. */
  private begins = true;
  private readonly besides = { moving: 0, resting: 0 };

  constructor(private readonly software: boolean) {
    this.rate = this.first = software ? FIRST_RATE.software : FIRST_RATE.card;
  }

  /** Points for the next picture. */
  points(moving: boolean): number {
    if (this.begins && moving && this.software) return FIRST_PICTURE;
    const time = moving ? MOVING_MS - this.besides.moving : RESTING_MS - this.besides.resting;
    return Math.max(LEAST, Math.round(this.rate * time));
  }

  /** A picture of so many points took so long. */
  took(points: number, ms: number, moving: boolean): void {
    if (!(ms > 0)) return;
    if (points > 0) this.begins = false;
    const kind = moving ? 'moving' : 'resting';
    const [besides, limit] = [this.besides[kind], moving ? MOVING_MS : RESTING_MS];
    if (points <= LEAST) {
      // Hindered by something else it would seem dear: the cheapest of late counts.
      this.besides[kind] = besides > 0 ? Math.min(ms, BOLDER * besides) : ms;
      // After a slow time it goes back towards what was believed at first; few points prove no more than that.
      if (ms < limit && this.rate < this.first) this.rate = Math.min(this.first, BOLDER * this.rate);
      return;
    }
    const seen = points / Math.max(1, ms - besides);
    // Slower is believed at once, faster bit by bit: a card may still be busy with the picture before.
    this.rate = seen < this.rate ? 0.5 * (seen + this.rate) : Math.min(BOLDER * this.rate, seen);
  }
}

/**
 * Shares a budget out among scans whose pages are even samples of them: pages of each to draw, at least one where there
 * is one, the same part of every scan.
 * @param pages how many pages of each scan have arrived
 */
export function pagesToDraw(pages: readonly number[], pointsPerPage: number, budget: number): number[] {
  const all = pages.reduce((a, b) => a + b, 0);
  const part = Math.min(1, budget / Math.max(1, all * pointsPerPage));
  return pages.map((n) => Math.min(n, Math.max(1, Math.round(part * n))));
}
