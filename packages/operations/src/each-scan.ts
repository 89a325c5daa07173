import type { Scan } from '@amber-knit/core/geometry';
import type { RunContext } from '@amber-knit/core/runtime';

/** Applies a step to every scan's cloud, sharing out the progress, and adds up its counts. */
export function eachScan<R extends Record<string, number>>(
  scans: Scan[],
  ctx: RunContext,
  step: (scan: Scan, ctx: RunContext) => { scan: Scan; counts: R },
): { scans: Scan[]; totals: Record<string, number> } {
  const totals: Record<string, number> = {};
  const out = scans.map((scan, i) => {
    const result = step(scan, ctx.part(i / scans.length, (i + 1) / scans.length, scan.name));
    for (const [key, n] of Object.entries(result.counts)) totals[key] = (totals[key] ?? 0) + n;
    return result.scan;
  });
  return { scans: out, totals };
}

export const millimetres = (v: unknown, digits = 3): string => `${Number(v).toFixed(digits)} mm`;
export const count = (v: unknown): string => Number(v).toLocaleString('en-US');
