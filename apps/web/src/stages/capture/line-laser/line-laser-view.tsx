import { useSyncExternalStore } from 'react';
import { shortCountText } from '@amber-knit/operations/quantity-text';
import { lineLaserClient } from './line-laser-client';
import { LinePicture } from './line-picture';
import { LinePoints } from './line-points';
import { LineTimeline } from './line-timeline';
import { RowProfile } from './row-profile';

/** The middle of the bench while working with a line laser: picture, points, recording. */
export function LineLaserView() {
  const { shown, points, work } = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  const q = shown?.quality;
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div className="flex min-h-0 flex-1 max-lg:flex-col">
        <div className="flex min-h-0 min-w-0 flex-1 flex-col">
          <LinePicture />
          <RowProfile />
        </div>
        <LinePoints />
      </div>
      <LineTimeline />
      <div
        className="num flex h-8 shrink-0 items-center gap-5 overflow-hidden whitespace-nowrap border-t border-line bg-panel px-4"
        aria-label="Reading"
      >
        {q && (
          <>
            <span>line in {(100 * q.found).toFixed(0)} % of rows</span>
            <span>{Number.isFinite(q.width) ? `${q.width.toFixed(1)} px wide` : 'no line'}</span>
            <span>brightness {q.brightness.toFixed(0)}</span>
            <span className={q.burnt > 0.2 ? 'font-semibold text-brick' : ''}>
              over-exposed {(100 * q.burnt).toFixed(0)} %
            </span>
          </>
        )}
        <span className="flex-1" />
        <span className="text-muted">
          {work !== null
            ? `finding lines, ${(100 * work).toFixed(0)} %`
            : points > 0
              ? `${shortCountText(points)} points`
              : ''}
        </span>
      </div>
    </div>
  );
}
