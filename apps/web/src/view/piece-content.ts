import { multiply } from '@amber-knit/core/math';
import type { ArtifactView, PieceView, ScanView } from '@amber-knit/contracts';
import type { Shown } from '../app/stages';
import type { ViewSettings } from '../app/view-slice';
import { strandColor } from '../shared/strand-colors';
import { cloudSource } from './load-artifact';
import type { ViewContent } from './view-content';

/** Shows a scan as its sensor saw it: sensor right stays right, sensor down becomes down, sensor forward away. */
export const SENSOR_UPRIGHT = [1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1];

export const hasPlace = ({ placement }: ScanView): boolean =>
  placement.state === 'placed' || placement.state === 'registered';

/** What the view shows of a piece: its scans, or its surface if that is wanted and there. */
export function contentOf(piece: PieceView, shown: Shown, settings: ViewSettings): ViewContent {
  const { alone } = settings;
  const surface = shown === 'scans' ? undefined : surfaceOf(piece, shown, settings)?.id;
  const loose = piece.scanList.filter((s) => s.placement.state === 'loose');
  return {
    surface,
    clouds: piece.scanList.map((s) => ({
      scanId: s.id,
      source: cloudSource(s),
      points: Number(s.cloud.facts.points) || 0,
      color: strandColor(s.colorIndex),
      matrix: s.placement.state === 'loose' ? looseMatrix(loose.indexOf(s), piece) : placedMatrix(s, settings),
      faint: alone !== null || (settings.tried !== null && !settings.tried.scans.includes(s.name)),
      visible: alone
        ? alone === s.id
        : settings.isolated
          ? settings.isolated === s.id
          : s.placement.state !== 'excluded' && !settings.hidden.includes(s.id),
    })),
  };
}

function surfaceOf({ mesh, model, light }: PieceView, shown: Shown, settings: ViewSettings): ArtifactView | null {
  if (shown === 'surface') return mesh;
  return (shown === 'model' && settings.light ? light : null) ?? model ?? mesh;
}

function placedMatrix({ name, placement }: ScanView, { tried }: ViewSettings): number[] {
  if (!tried?.scans.includes(name)) return placement.pieceFromScan;
  return Array.from(multiply(Float64Array.from(tried.pieceFromPiece), Float64Array.from(placement.pieceFromScan)));
}

/** Where a scan that is on its way in will lie: beside the loose ones. */
export function arrivingMatrix(piece: PieceView): number[] {
  if (piece.scanList.length === 0) return SENSOR_UPRIGHT;
  return looseMatrix(piece.scanList.filter((s) => s.placement.state === 'loose').length, piece);
}

/** Loose scans are laid out side by side, their sensor's up upwards, so that each can be seen for itself. */
function looseMatrix(index: number, piece: PieceView): number[] {
  const size = Math.max(...piece.scanList.map((s) => Number(s.cloud.facts.diagonal ?? 100))) * 0.82;
  const columns = Math.max(2, Math.ceil(Math.sqrt(piece.scanList.length)));
  const placed = piece.scanList.some((s) => s.placement.state !== 'loose');
  const x = ((index % columns) - (columns - 1) / 2) * size + (placed ? columns * size : 0);
  const z = -Math.floor(index / columns) * size;
  return [...SENSOR_UPRIGHT.slice(0, 12), x, 0, z, 1];
}
