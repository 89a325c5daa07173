import type { PieceView } from '@amber-knit/contracts';
import { stageOf } from '../../app/stages';
import type { ViewSettings } from '../../app/view-slice';
import { fetchEarly } from '../../view/load-artifact';
import { contentOf } from '../../view/piece-content';

/** As many connections as a browser opens to a server, less some for other questions. */
const MOST = 4;

/** Begins to fetch what the view of a stage will show of a piece. */
export function fetchShown(piece: PieceView, stage: string | undefined, settings: ViewSettings): void {
  const shown = stageOf(stage)?.shows;
  if (!shown) return;
  const { surface, clouds } = contentOf(piece, shown, settings);
  if (surface) return fetchEarly(surface);
  clouds.slice(0, MOST).forEach((c) => fetchEarly(c.source.base));
}
