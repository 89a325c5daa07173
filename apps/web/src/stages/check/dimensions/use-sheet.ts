import type { DimensionSheet } from '@amber-knit/core/dimensions';
import type { PieceView } from '@amber-knit/contracts';
import { api } from '../../../api/api';
import { useStore } from '../../../shared/store';
import { dimensionsDesk, type DimensionRow } from './dimensions-desk';

/** The dimensions of a piece: as the server keeps them, and as they are listed now. */
export function useSheet(piece: PieceView): {
  sheet: DimensionSheet | undefined;
  rows: DimensionRow[];
  isLoading: boolean;
} {
  const id = piece.dimensions?.id;
  const { currentData: sheet, isFetching } = api.useDimensionsQuery(id ?? '', { skip: !id });
  useStore(dimensionsDesk);
  return {
    sheet,
    rows: dimensionsDesk.rows(piece.mesh?.id ?? '', sheet, piece.dimensionsFresh),
    isLoading: isFetching,
  };
}
