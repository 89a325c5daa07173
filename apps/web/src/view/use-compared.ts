import { useEffect, useMemo } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { api } from '../api/api';
import type { Shown } from '../app/stages';
import { useAppDispatch, useAppSelector } from '../app/store';
import { comparedWith } from '../app/view-slice';
import { contentOf } from './piece-content';
import type { ViewContent } from './view-content';

/** What is compared with the piece, and what the two sides are called. */
export interface Comparison {
  content: ViewContent;
  left: string;
  right: string;
}

/** What the view compares the piece with: a version of it, or the piece without the place that is tried. */
export function useCompared(piece: PieceView, shown: Shown): Comparison | null {
  const settings = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const { compared } = settings;
  const version = compared !== null && typeof compared === 'object' && compared.pieceId === piece.id ? compared : null;
  const { currentData: then, isError } = api.usePieceAtQuery(
    { id: piece.id, version: version?.version ?? '' },
    { skip: !version },
  );
  // Another piece's version, and one that is no more, are not compared with.
  const gone =
    (typeof compared === 'object' && compared !== null && (!version || isError)) ||
    (compared === 'whole' && !(piece.light && settings.light));
  useEffect(() => {
    if (gone) dispatch(comparedWith(null));
  }, [gone, dispatch]);
  return useMemo(() => {
    const untried = { ...settings, tried: null };
    if (compared === 'untried' && settings.tried)
      return { content: contentOf(piece, shown, untried), left: 'Now', right: 'The place tried' };
    if (compared === 'whole')
      return { content: contentOf(piece, shown, { ...settings, light: false }), left: 'Whole', right: 'Light' };
    if (!version || !then) return null;
    return { content: contentOf(then, shown, untried), left: version.title, right: 'Now' };
  }, [piece, shown, settings, compared, version, then]);
}
