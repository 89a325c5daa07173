import { Link } from 'react-router';
import type { Stop } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { stageOf } from '../../app/stages';
import { Button, Notice } from '../../shared/controls';

/** A place where a person must judge: the evidence, the choices and what they lead to, and where to look closer. */
export function StopCard({ pieceId, stop, chosen }: { pieceId: string; stop: Stop; chosen?: string }) {
  const [decide, { isLoading, error }] = api.useDecideGuidedMutation();
  const take = (choice: string) => void decide({ pieceId, stop: stop.key, choice });
  const safe = stop.choices.find((c) => c.id === stop.safe);
  return (
    <section
      aria-label={stop.title}
      className={`rounded-xl border bg-panel p-5 ${chosen === undefined ? 'border-amber' : 'border-line'}`}
    >
      <h2 className="m-0 text-lg font-semibold">{stop.title}</h2>
      <p className="m-0 mt-1 max-w-prose">{stop.text}</p>
      {stop.evidence.length > 0 && (
        <dl className="m-0 mt-3 flex flex-wrap gap-x-8 gap-y-2 rounded-lg bg-sunk px-3 py-2">
          {stop.evidence.map(({ label, text }) => (
            <div key={label}>
              <dt className="text-muted">{label}</dt>
              <dd className="num m-0">{text}</dd>
            </div>
          ))}
        </dl>
      )}
      <ul className="m-0 mt-3 flex list-none flex-col gap-2 p-0">
        {stop.choices.map((c) => (
          <li key={c.id} className="grid grid-cols-[minmax(180px,auto)_1fr] items-center gap-3">
            <Button
              tone={c.id === (chosen ?? stop.safe) ? 'go' : 'plain'}
              disabled={isLoading || c.id === chosen}
              onClick={() => take(c.id)}
            >
              {c.label}
            </Button>
            <span className="text-muted">
              {c.text}
              {c.id === chosen && ' Chosen.'}
            </span>
          </li>
        ))}
      </ul>
      {error !== undefined && (
        <div className="mt-2">
          <Notice tone="error">{problemText(error)}</Notice>
        </div>
      )}
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <Link to={`/pieces/${pieceId}/bench/${stop.stage}`} className="text-teal">
          Look closer in {stageOf(stop.stage)?.name}
        </Link>
        {safe && chosen === undefined && (
          <Button tone="quiet" disabled={isLoading} onClick={() => take('later')}>
            Decide later (until then: {safe.label.toLowerCase()})
          </Button>
        )}
      </div>
    </section>
  );
}
