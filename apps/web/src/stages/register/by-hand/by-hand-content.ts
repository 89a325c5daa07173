import { boundsOf } from '@amber-knit/core/geometry';
import { fromTranslation, invertRigid, multiply, transformPoint, type Mat4, type Vec3 } from '@amber-knit/core/math';
import type { PieceView, ScanView } from '@amber-knit/contracts';
import { strandColor } from '../../../shared/strand-colors';
import { cloudSource } from '../../../view/load-artifact';
import { hasPlace, SENSOR_UPRIGHT } from '../../../view/piece-content';
import type { CloudItem } from '../../../view/view-content';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** The scans shown on one side: the one that is moved as its sensor saw it, or those that stay where they are. */
export function scansOfSide(piece: PieceView, moving: string, onto: string, side: 'from' | 'onto'): CloudItem[] {
  const shown = piece.scanList.filter((s) =>
    side === 'from' ? s.id === moving : s.id !== moving && (onto === 'placed' ? hasPlace(s) : s.id === onto),
  );
  return shown.map((s) => ({
    scanId: s.id,
    source: cloudSource(s),
    points: Number(s.cloud.facts.points) || 0,
    color: strandColor(s.colorIndex),
    matrix: shownBy(s, side),
    visible: true,
    faint: false,
  }));
}

/** Where the view of those that stay shows the piece: upright as the sensor saw it while none has a place yet. */
export function viewFromPiece(piece: PieceView, moving: string): number[] {
  return piece.scanList.some((s) => s.id !== moving && hasPlace(s)) ? IDENTITY : SENSOR_UPRIGHT;
}

/** What a scan's points span, mm. */
export interface Span {
  middle: Vec3;
  /** Half of the diagonal. */
  radius: number;
}

export function spanOf(positions: Float32Array): Span {
  const { min, max } = boundsOf(positions);
  const half = [0, 1, 2].map((k) => (max[k] - min[k]) / 2);
  return { middle: [0, 1, 2].map((k) => min[k] + half[k]) as Vec3, radius: Math.hypot(...half) };
}

/** A scan without a place, laid beside the others in the view: upright, to their right. View from scan. */
export function laidBeside(own: Span, others: Span): Mat4 {
  const upright = Float64Array.from(SENSOR_UPRIGHT);
  const middle = transformPoint(upright, ...own.middle);
  const aside = others.radius + 0.6 * own.radius;
  const to = fromTranslation(
    others.middle[0] + aside - middle[0],
    others.middle[1] - middle[1],
    others.middle[2] - middle[2],
  );
  return multiply(to, upright);
}

/** A place of the view in the frame of the scan it was picked on. */
export function inScan(scan: ScanView, side: 'from' | 'onto', point: Vec3): Vec3 {
  return transformPoint(invertRigid(Float64Array.from(shownBy(scan, side))), ...point);
}

/** A place in a scan's frame where the view shows it. */
export function inView(scan: ScanView, side: 'from' | 'onto', point: Vec3): Vec3 {
  return transformPoint(Float64Array.from(shownBy(scan, side)), ...point);
}

function shownBy(scan: ScanView, side: 'from' | 'onto'): number[] {
  return side === 'onto' && hasPlace(scan) ? scan.placement.pieceFromScan : SENSOR_UPRIGHT;
}
