import { useState } from 'react';
import { formatDistanceToNow } from 'date-fns';
import { Trash2, Undo2 } from 'lucide-react';
import type { AwayPiece } from '@amber-knit/contracts';
import { bytesText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../api/api';
import { AskDialog } from '../../shared/ask-dialog';
import { Button, Notice } from '../../shared/controls';

/** Pieces that were put away: back to the shelf, or removed for good to give their room back. */
export function PutAway() {
  const { data = [] } = api.useAwayQuery();
  const [putBack, { error: notBack }] = api.usePutBackMutation();
  const [remove, { error: notRemoved }] = api.useRemoveForGoodMutation();
  const [going, setGoing] = useState<AwayPiece | null>(null);
  if (data.length === 0) return null;
  const freed = data.reduce((sum, p) => sum + p.freed, 0);
  const error = notBack ?? notRemoved;
  return (
    <details className="mt-8 rounded-xl border border-line bg-panel px-4 py-3">
      <summary className="cursor-pointer font-semibold">
        Put away: {data.length} {data.length === 1 ? 'piece' : 'pieces'}
        <span className="font-normal text-muted">, {bytesText(freed)} could be given back</span>
      </summary>
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      <ul className="m-0 mt-2 list-none p-0" aria-label="Pieces put away">
        {data.map((p) => (
          <li key={p.id} className="flex flex-wrap items-center gap-x-4 gap-y-1 border-t border-line py-2">
            <span className="min-w-40 flex-1">
              <b className="font-semibold">{p.name}</b> <span className="text-muted">{p.note}</span>
            </span>
            <span className="text-muted">{formatDistanceToNow(new Date(p.awayAt), { addSuffix: true })}</span>
            <span className="num w-24 text-right">{bytesText(p.bytes)}</span>
            <span className="flex gap-1">
              <Button onClick={() => void putBack(p.id)}>
                <Undo2 size={15} aria-hidden /> Put back
              </Button>
              <Button onClick={() => setGoing(p)}>
                <Trash2 size={15} aria-hidden /> Remove …
              </Button>
            </span>
          </li>
        ))}
      </ul>
      <AskDialog
        title={`Remove ${going?.name} for good?`}
        open={going !== null}
        yes="Remove for good"
        no="Keep it"
        onYes={() => going && void remove(going.id)}
        onClose={() => setGoing(null)}
      >
        Its scans, captures, surfaces and ledger go; this cannot be undone. It gives back{' '}
        <span className="num">{bytesText(going?.freed)}</span>
        {going && going.freed < going.bytes && '; the rest is used by other pieces and stays'}.
      </AskDialog>
    </details>
  );
}
