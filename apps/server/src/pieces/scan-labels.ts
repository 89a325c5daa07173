import type { Heads, ScanLabel, ScanRow } from '../database/entities.js';

/** A scan as it is called in some state of the piece. */
export type LabelledScan = ScanRow & { note: string };

/** The scans that exist in a state, in order, under the names and with the frames they have there. */
export function scansIn(heads: Heads, rows: readonly ScanRow[]): LabelledScan[] {
  return rows
    .filter((r) => heads.clouds[r.id])
    .map((r) => ({ note: '', ...r, ...heads.labels?.[r.id], framesId: heads.frames?.[r.id] ?? r.framesId }));
}

/** The state with other labels for some scans. */
export function withLabels(heads: Heads, scanIds: readonly string[], label: ScanLabel): Heads {
  const labels = { ...heads.labels };
  const said = Object.fromEntries(Object.entries(label).filter(([, v]) => v !== undefined));
  for (const id of scanIds) labels[id] = { ...labels[id], ...said };
  return { ...heads, labels };
}

/** Placements are kept by the scans' ids, which stay when names change; all else goes by names. */
export const idsByName = (scans: readonly ScanRow[]): Map<string, string> => new Map(scans.map((s) => [s.name, s.id]));
export const namesById = (scans: readonly ScanRow[]): Map<string, string> => new Map(scans.map((s) => [s.id, s.name]));
