import { Link } from 'react-router';
import type { PieceView, Stage } from '@amber-knit/contracts';
import { STAGES } from '../../app/stages';
import { GlyphShape, stateWord } from '../../shared/state-glyph';

/** The stages in working order with their states. */
export function StageRail({ piece, stage }: { piece: PieceView; stage: Stage }) {
  return (
    <nav aria-label="Stages" className="shrink-0 overflow-x-auto overflow-y-hidden border-b border-line bg-paper">
      <ol className="relative mx-auto my-0 flex h-14 max-w-3xl min-w-[640px] list-none items-center p-0">
        <span aria-hidden className="absolute left-[5.5%] right-[5.5%] top-[19px] h-0.5 bg-line" />
        {STAGES.map(({ id, name }) => {
          const state = piece.stages.find((s) => s.stage === id)!.state;
          const here = id === stage;
          return (
            <li key={id} className="relative flex-1">
              <Link
                to={`/pieces/${piece.id}/bench/${id}`}
                aria-current={here ? 'step' : undefined}
                aria-label={`${name}: ${stateWord(state)}`}
                className={`flex flex-col items-center gap-0.5 rounded-lg py-1 no-underline ${here ? 'font-semibold text-amber' : 'text-ink'}`}
              >
                <svg width="22" height="22" viewBox="-11 -11 22 22" aria-hidden>
                  <circle r="11" fill="var(--paper)" />
                  <GlyphShape
                    state={state}
                    radius={here ? 7 : 6}
                    color={state === 'empty' && !here ? 'var(--field)' : 'var(--amber)'}
                  />
                </svg>
                {name}
              </Link>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}
