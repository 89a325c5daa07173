/** How long a picture may take: while the view moves, and once it rests, ms. */
const MOVING_MS = 45;
const RESTING_MS = 600;
/** Fewer points than this are always drawn. */
const LEAST = 120_000;
/** Points drawn in a millisecond, as long as nothing has been measured: with and without a graphics card. */
const FIRST_RATE = { card: 60_000, software: 4000 };

/**
 * How many points to draw, learnt from how long pictures take: few while the view moves so that it follows the hand,
 * many once it rests.
 */
export class PointBudget {
  private rate: number;

  constructor(software: boolean) {
    this.rate = software ? FIRST_RATE.software : FIRST_RATE.card;
  }

  /** Points for the next picture. */
  points(moving: boolean): number {
    return Math.max(LEAST, Math.round(this.rate * (moving ? MOVING_MS : RESTING_MS)));
  }

  /** A picture of so many points took so long. Small ones say nothing: their cost is not that of points. */
  took(points: number, ms: number): void {
    if (points < LEAST / 2 || !(ms > 0)) return;
    const seen = points / ms;
    // Slower is believed at once, faster bit by bit: a card may still be busy with the picture before.
    this.rate = seen < this.rate ? 0.5 * (seen + this.rate) : Math.min(1.3 * this.rate, seen);
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
