import { X } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { ProgressBar } from '../shared/controls';
import { useImporting } from './import-context';
import { UnitAsker } from './unit-asker';

/** Files on their way in, those that could not be sent, and what is to be said of others: shown in every stage. */
export function IncomingList({ piece }: { piece: PieceView }) {
  const { incoming, dismiss } = useImporting();
  return (
    <div className="mb-2 flex flex-col gap-2 empty:hidden">
      <UnitAsker piece={piece} />
      {incoming.length > 0 && (
        <ul className="m-0 flex list-none flex-col gap-2 p-0">
          {incoming.map((i) => (
            <li
              key={i.key}
              className={`rounded-lg border px-3 py-2 ${i.error ? 'border-brick bg-brick-soft text-brick' : 'border-line'}`}
              role={i.error ? 'alert' : undefined}
            >
              <div className="flex items-center justify-between gap-2">
                <span className="truncate">{i.name}</span>
                {i.error && (
                  <button
                    type="button"
                    aria-label={`Dismiss ${i.name}`}
                    onClick={() => dismiss(i.key)}
                    className="border-0 bg-transparent p-0.5 text-brick"
                  >
                    <X size={15} />
                  </button>
                )}
              </div>
              {i.error ? <div>{i.error}</div> : <ProgressBar value={i.fraction} label={`Sending ${i.name}`} />}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
