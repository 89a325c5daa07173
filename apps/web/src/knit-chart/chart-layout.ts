import type { PieceView, ScanView } from '@amber-knit/contracts';

const ROW = 51;
const TOP = 84;
const SETUP_GAP = 20;

/** One strand's place on the chart. */
export interface Row {
  y: number;
  /** The setup's name, on its first strand. */
  heading?: string;
  scan: ScanView;
}

/** A row for each scan, setup by setup, with a gap between setups. */
export function layoutRows(piece: Pick<PieceView, 'setups' | 'scanList'>): Row[] {
  const rows: Row[] = [];
  let y = TOP + 30;
  for (const setup of piece.setups) {
    piece.scanList
      .filter((s) => s.setup === setup)
      .forEach((scan, i) => {
        rows.push({ y, scan, heading: i === 0 ? setup : undefined });
        y += ROW;
      });
    y += SETUP_GAP;
  }
  return rows;
}

/** Height at which the strands meet. */
export function middleOf(rows: Row[]): number {
  return rows.length > 0 ? (rows[0].y + rows[rows.length - 1].y) / 2 : TOP;
}

export function chartHeight(rows: Row[]): number {
  return Math.max((rows[rows.length - 1]?.y ?? TOP) + 54, 300);
}
