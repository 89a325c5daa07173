import { Ban, Eye, EyeOff, Focus } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { api } from '../../api/api';
import { useAppDispatch, useAppSelector } from '../../app/store';
import { scanHidden, scanIsolated } from '../../app/view-slice';
import { shortCount } from '../../shared/format';
import { StateGlyph, stateWord } from '../../shared/state-glyph';
import { strandColor } from '../../shared/strand-colors';

/** The scans of the piece by setup: state, points, visible or not. */
export function StrandList({ piece }: { piece: PieceView }) {
  const { hidden, isolated } = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const [run] = api.useRunOperationMutation();
  return (
    <aside
      aria-label="Strands"
      className="flex w-68 shrink-0 flex-col overflow-y-auto border-r border-line bg-panel py-3"
    >
      <div className="flex justify-between px-3">
        <h2 className="m-0 text-sm font-semibold">Strands</h2>
        <span className="num text-muted">{piece.scans}</span>
      </div>
      {piece.scans === 0 && <p className="px-3 text-muted">No scans yet. Drop scan files anywhere on this page.</p>}
      {piece.setups.map((setup) => (
        <section key={setup}>
          <h3 className="mb-1 mt-3 px-3 text-sm font-medium text-muted">{setup}</h3>
          <ul className="m-0 list-none p-0">
            {piece.scanList
              .filter((s) => s.setup === setup)
              .map((s) => {
                const excluded = s.placement.state === 'excluded';
                const off = isolated ? isolated !== s.id : hidden.includes(s.id);
                return (
                  <li
                    key={s.id}
                    className={`group flex items-center gap-1.5 px-3 py-1.5 hover:bg-sunk ${off ? 'opacity-60' : ''}`}
                  >
                    <StateGlyph state={s.placement.state} color={strandColor(s.colorIndex)} size={17} />
                    <span className="min-w-0 flex-1">
                      <span className="block truncate" title={s.name}>
                        {s.name}
                      </span>
                      <span className="num block truncate text-muted">
                        {shortCount(Number(s.cloud.facts.points))} {stateWord(s.placement.state)}
                      </span>
                    </span>
                    <button
                      type="button"
                      className="border-0 bg-transparent p-0.5 text-muted hover:text-ink"
                      aria-label={excluded ? `Take ${s.name} in again` : `Exclude ${s.name}`}
                      aria-pressed={excluded}
                      title={excluded ? 'Take in again' : 'Exclude: takes no part in registration and surface'}
                      onClick={() =>
                        void run({
                          pieceId: piece.id,
                          operationId: 'register.exclude',
                          params: { only: [s.name], exclude: !excluded },
                        })
                      }
                    >
                      <Ban size={15} className={excluded ? 'text-brick' : ''} />
                    </button>
                    <button
                      type="button"
                      className="border-0 bg-transparent p-0.5 text-muted hover:text-ink"
                      aria-label={`Show only ${s.name}`}
                      aria-pressed={isolated === s.id}
                      title="Show only this"
                      onClick={() => dispatch(scanIsolated(s.id))}
                    >
                      <Focus size={15} />
                    </button>
                    <button
                      type="button"
                      className="border-0 bg-transparent p-0.5 text-muted hover:text-ink"
                      aria-label={`${off ? 'Show' : 'Hide'} ${s.name}`}
                      title={off ? 'Show' : 'Hide'}
                      onClick={() => dispatch(scanHidden(s.id))}
                    >
                      {off ? <EyeOff size={15} /> : <Eye size={15} />}
                    </button>
                  </li>
                );
              })}
          </ul>
        </section>
      ))}
    </aside>
  );
}
