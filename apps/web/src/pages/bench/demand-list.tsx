import { Check, CircleDashed, CircleHelp, X } from 'lucide-react';
import type { DemandView } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { Button, Notice } from '../../shared/controls';

/** How a demand stands: a sign, its colour, and the word that says the same. */
function standing({ state, must }: DemandView): { Sign: typeof Check; tone: string; word: string } {
  if (state === 'met') return { Sign: Check, tone: 'text-teal', word: 'there' };
  if (state === 'unknown') return { Sign: CircleHelp, tone: 'text-muted', word: 'not known' };
  return must
    ? { Sign: X, tone: 'text-brick', word: 'missing' }
    : { Sign: CircleDashed, tone: 'text-muted', word: 'better with it' };
}

/** What a piece must have for an operation, and at one click what mends it. */
export function DemandList({ pieceId, demands, busy }: { pieceId: string; demands: DemandView[]; busy: boolean }) {
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  if (demands.length === 0) return null;
  // One button for each thing to do, beside the first that asks for it.
  const offered = new Set<string>();
  return (
    <div className="rounded-lg bg-sunk px-2.5 py-2">
      <h4 className="m-0 mb-1 text-[0.92em] font-semibold">What it needs of the piece</h4>
      <ul className="m-0 flex list-none flex-col gap-1 p-0">
        {demands.map((d) => {
          const { Sign, tone, word } = standing(d);
          const remedy = d.remedy && !offered.has(d.remedy.operationId) ? d.remedy : undefined;
          if (remedy) offered.add(remedy.operationId);
          return (
            <li key={d.label} className="flex items-start gap-1.5">
              <Sign size={15} aria-hidden className={`mt-0.5 shrink-0 ${tone}`} />
              <span className="min-w-0 grow">
                {d.label} <span className="sr-only">({word})</span>
                <span className="block text-[0.86em] text-muted">
                  {d.state === 'met' ? d.said : `${word}: ${d.said}`}
                </span>
              </span>
              {remedy && (
                <Button
                  disabled={busy || isLoading}
                  className="shrink-0"
                  onClick={() => void run({ pieceId, operationId: remedy.operationId, params: {} })}
                >
                  {remedy.title}
                </Button>
              )}
            </li>
          );
        })}
      </ul>
      {error && <Notice tone="error">{problemText(error)}</Notice>}
    </div>
  );
}
