import type { PieceView } from '@amber-knit/contracts';
import { isStage } from '../../app/stages';
import type { ViewSettings } from '../../app/view-slice';
import { fetchEarly } from '../view/load-artifact';
import { contentForStage } from '../view/piece-content';

/** As many connections as a browser opens to a server, less some for other questions. */
const MOST = 4;

/** Begins to fetch what the view of a stage will show of a piece. */
export function fetchShown(piece: PieceView, stage: string | undefined, settings: ViewSettings): void {
  if (!isStage(stage)) return;
  const { surface, clouds } = contentForStage(piece, stage, settings);
  if (surface) return fetchEarly(surface);
  clouds.slice(0, MOST).forEach((c) => fetchEarly(c.source.base));
}
