import { invertRigid, transformPoint, type Vec3 } from '@amber-knit/core/math';
import type { PieceView, ScanView } from '@amber-knit/contracts';
import { strandColor } from '../../shared/strand-colors';
import { cloudSource } from '../view/load-artifact';
import { hasPlace, SENSOR_UPRIGHT } from '../view/piece-content';
import type { CloudItem } from '../view/view-content';

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
