import type { Coverage } from '@amber-knit/core/tracking';

/** Share of the cells of the dial that were seen. */
export function coveredShare({ counts }: Coverage): number {
  return counts.reduce((n, c) => n + (c > 0 ? 1 : 0), 0) / counts.length;
}

/**
 * Where to stand next, in words: the widest gap of the band that is nearest to complete among those that still have
 * one, told from where the scanner is now.
 */
export function coverageAdvice({ sectors, bands, counts, sector }: Coverage): string {
  let best: { band: number; width: number; middle: number } | undefined;
  for (let b = 0; b < bands; b++) {
    const gap = widestGap(counts.subarray(b * sectors, (b + 1) * sectors));
    // The band right above the object closes from any side.
    const needed = b === bands - 1 ? Math.ceil(sectors * 0.9) : 2;
    if (gap.width < needed) continue;
    if (!best || gap.width < best.width) best = { band: b, ...gap };
  }
  if (!best) return 'All sides of this setup are seen.';
  const heights = ['level with it', 'a little above', 'well above', 'right above'];
  const height = heights[Math.min(best.band, heights.length - 1)];
  if (best.band === bands - 1 && best.width === sectors) return `Next: from ${height}.`;
  const turn = ((((best.middle - sector) / sectors) % 1) + 1) % 1;
  const degrees = Math.round((360 * (turn > 0.5 ? 1 - turn : turn)) / 15) * 15;
  if (degrees < 15) return `Next: here, ${height}.`;
  return `Next: ${degrees}° to the ${turn > 0.5 ? 'left' : 'right'}, ${height}.`;
}

/** Longest run of zeros on a ring: its width and middle. */
function widestGap(ring: Uint32Array): { width: number; middle: number } {
  const n = ring.length;
  let best = { width: 0, middle: 0 };
  let run = 0;
  for (let i = 0; i < 2 * n; i++) {
    run = ring[i % n] === 0 ? Math.min(n, run + 1) : 0;
    if (run > best.width) best = { width: run, middle: (i - (run - 1) / 2 + n) % n };
  }
  return best;
}
