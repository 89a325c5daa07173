import type { Scan } from '@amber-knit/core/geometry';
import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import { ScansParam } from './params.js';

/** Parameters of a step that works on each scan for itself. */
export class EachScanParams {
  @ScansParam({ title: 'Scans', help: 'The scans to work on; none chosen means all.' })
  only: string[] = [];
}

/**
 * Applies a step to the cloud of every scan, or only of those named, sharing out the progress, and adds up its counts.
 * @returns all scans in their order, those not worked on unchanged
 * @throws GeometryError `invalid-parameter` if a named scan is not there
 */
export function eachScan<R extends Record<string, number>>(
  scans: Scan[],
  { only }: EachScanParams,
  ctx: RunContext,
  step: (scan: Scan, ctx: RunContext) => { scan: Scan; counts: R },
): { scans: Scan[]; worked: number; totals: Record<string, number> } {
  const chosen = only.length === 0 ? scans : only.map((name) => scanNamed(scans, name));
  const totals: Record<string, number> = {};
  const done = new Map(
    chosen.map((scan, i) => {
      const result = step(scan, ctx.part(i / chosen.length, (i + 1) / chosen.length, scan.name));
      for (const [key, n] of Object.entries(result.counts)) totals[key] = (totals[key] ?? 0) + n;
      return [scan, result.scan];
    }),
  );
  return { scans: scans.map((s) => done.get(s) ?? s), worked: chosen.length, totals };
}

/** @throws GeometryError `invalid-parameter` if there is none of that name */
export function scanNamed(scans: readonly Scan[], name: string): Scan {
  const found = scans.find((s) => s.name === name);
  if (!found) throw new GeometryError('invalid-parameter', `There is no scan "${name}" in this piece.`);
  return found;
}
