import { useState } from 'react';
import { Copy, ExternalLink, KeyRound, Link2, Pencil, Trash2 } from 'lucide-react';
import { formatDistanceToNow } from 'date-fns';
import type { SharedView, SharedViewTerms } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { AskDialog } from '../../shared/ask-dialog';
import { Button, IconButton, Notice } from '../../shared/controls';
import type { StagePanelProps } from '../stage-module';
import { SharedViewForm } from './shared-view-form';

/** Links under which somebody else can look at the piece. */
export function SharedViewsPanel({ piece, steps }: StagePanelProps) {
  const { data: views = [] } = api.useSharedViewsQuery(piece.id);
  const [share, made] = api.useShareMutation();
  const [change, changed] = api.useChangeSharedMutation();
  const [now, broughtUp] = api.useSharedNowMutation();
  const [end, ended] = api.useEndSharedMutation();
  const [open, setOpen] = useState<'new' | string | null>(null);
  const [ending, setEnding] = useState<SharedView | null>(null);
  const [copied, setCopied] = useState<string | null>(null);
  const fault = made.error ?? changed.error ?? broughtUp.error ?? ended.error;
  const keep = (terms: SharedViewTerms & { password?: string }): void => {
    const sent = open === 'new' ? share({ pieceId: piece.id, terms }) : change({ pieceId: piece.id, id: open!, terms });
    // What is refused stays in the form, with the words of why.
    void sent.unwrap().then(
      () => setOpen(null),
      () => undefined,
    );
  };
  return (
    <section aria-label="Shared views" className="border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Shared views</h3>
      {views.length === 0 && open === null && (
        <p className="mb-2 mt-0 text-muted">
          A link under which a client or a colleague can turn the model, read its dimensions and take files along: only
          what you allow, for as long as you allow it.
        </p>
      )}
      <ul className="m-0 flex list-none flex-col gap-2 p-0">
        {views.map((view) =>
          open === view.id ? (
            <li key={view.id}>
              <SharedViewForm view={view} steps={steps} onDone={keep} onClose={() => setOpen(null)} />
            </li>
          ) : (
            <li key={view.id} aria-label={view.name} className="rounded-lg border border-line px-2 py-1.5">
              <div className="flex items-center gap-1">
                <Link2 size={15} aria-hidden className="shrink-0" />
                <b className="min-w-0 flex-1 truncate">{view.name}</b>
                {view.hasPassword && <KeyRound size={14} aria-label="Asks for a password" />}
                <IconButton
                  label={`Copy the link of ${view.name}`}
                  onClick={() =>
                    void navigator.clipboard
                      .writeText(new URL(view.address, window.location.href).href)
                      .then(() => setCopied(view.id))
                  }
                >
                  <Copy size={15} aria-hidden />
                </IconButton>
                <IconButton label={`Change ${view.name}`} onClick={() => setOpen(view.id)}>
                  <Pencil size={15} aria-hidden />
                </IconButton>
                <IconButton label={`End ${view.name}`} onClick={() => setEnding(view)}>
                  <Trash2 size={15} aria-hidden />
                </IconButton>
              </div>
              <p className="m-0 text-muted" role={copied === view.id ? 'status' : undefined}>
                {copied === view.id ? 'Copied. ' : ''}
                {stateOf(view)}
              </p>
              <div className="mt-1 flex flex-wrap gap-1">
                <a
                  href={view.address}
                  target="_blank"
                  rel="noreferrer"
                  className="inline-flex min-h-8 items-center gap-1.5 rounded-lg border border-line bg-panel px-3 py-1 text-ink no-underline hover:bg-sunk"
                >
                  <ExternalLink size={15} aria-hidden /> Open
                </a>
                {!view.current && piece.mesh && (
                  <Button onClick={() => void now({ pieceId: piece.id, id: view.id })}>Show what stands now</Button>
                )}
              </div>
            </li>
          ),
        )}
      </ul>
      {open === 'new' ? (
        <SharedViewForm steps={steps} onDone={keep} onClose={() => setOpen(null)} />
      ) : (
        <Button className="mt-2" disabled={!piece.mesh} onClick={() => setOpen('new')}>
          <Link2 size={15} aria-hidden /> New link …
        </Button>
      )}
      {!piece.mesh && <p className="mb-0 mt-1 text-muted">There is no surface to show yet: fuse the scans first.</p>}
      {fault && <Notice tone="error">{problemText(fault)}</Notice>}
      <AskDialog
        title={`End the link for ${ending?.name ?? ''}?`}
        open={ending !== null}
        yes="End the link"
        no="Keep it"
        onYes={() => void end({ pieceId: piece.id, id: ending!.id })}
        onClose={() => setEnding(null)}
      >
        Whoever has it sees nothing more from now on. It can’t be brought back; a new link has another address.
      </AskDialog>
    </section>
  );
}

/** How a link stands, in words. */
export function stateOf({ ended, endsAt, opened, lastOpenedAt, current }: SharedView): string {
  const when = (at: string): string => formatDistanceToNow(new Date(at), { addSuffix: true });
  return [
    ended ? 'Has ended.' : endsAt ? `Ends ${when(endsAt)}.` : 'Open until you end it.',
    opened === 0 || !lastOpenedAt
      ? 'Not opened yet.'
      : `Opened ${opened === 1 ? 'once' : `${opened} times`}, last ${when(lastOpenedAt)}.`,
    ...(current ? [] : ['Shows an earlier state.']),
  ].join(' ');
}
