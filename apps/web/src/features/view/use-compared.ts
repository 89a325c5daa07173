import { useEffect, useMemo } from 'react';
import type { PieceView, Stage } from '@amber-knit/contracts';
import { api } from '../../api/api';
import { useAppDispatch, useAppSelector } from '../../app/store';
import { comparedWith } from '../../app/view-slice';
import { contentForStage } from './piece-content';
import type { ViewContent } from './view-content';

/** What is compared with the piece, and what the two sides are called. */
export interface Comparison {
  content: ViewContent;
  left: string;
  right: string;
}

/** What the view compares the piece with at a stage: a version of it, or the piece without the place that is tried. */
export function useCompared(piece: PieceView, stage: Stage): Comparison | null {
  const settings = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const { compared } = settings;
  const version = compared !== null && compared !== 'untried' && compared.pieceId === piece.id ? compared : null;
  const { currentData: then, isError } = api.usePieceAtQuery(
    { id: piece.id, version: version?.version ?? '' },
    { skip: !version },
  );
  // Another piece's version, and one that is no more, are not compared with.
  const gone = compared !== null && compared !== 'untried' && (!version || isError);
  useEffect(() => {
    if (gone) dispatch(comparedWith(null));
  }, [gone, dispatch]);
  return useMemo(() => {
    const untried = { ...settings, tried: null };
    if (compared === 'untried' && settings.tried)
      return { content: contentForStage(piece, stage, untried), left: 'Now', right: 'The place tried' };
    if (!version || !then) return null;
    return { content: contentForStage(then, stage, untried), left: version.title, right: 'Now' };
  }, [piece, stage, settings, compared, version, then]);
}
