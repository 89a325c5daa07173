import type { PlacingSheet } from '@amber-knit/core/placing';
import type { PieceView } from '@amber-knit/contracts';
import { api } from '../../../api/api';
import { useStore } from '../../../shared/store';
import { placingDesk, type PlacingRow } from './placing-desk';

/** The placings of a piece: as the server keeps them, and as they are listed now. */
export function usePlacings(piece: PieceView): {
  sheet: PlacingSheet | undefined;
  rows: PlacingRow[];
  isLoading: boolean;
} {
  const id = piece.placings?.id;
  const { currentData: sheet, isFetching } = api.usePlacingsQuery(id ?? '', { skip: !id });
  useStore(placingDesk);
  return { sheet, rows: placingDesk.rows(sheet), isLoading: isFetching };
}
