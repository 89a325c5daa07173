import { Package } from 'lucide-react';
import { bytesText } from '@amber-knit/operations/quantity-text';
import { api } from '../../api/api';
import type { StagePanelProps } from '../stage-module';
import { deliveredFiles } from './delivered-files';

/** Everything of the piece in one file. */
export function ArchivePanel({ piece, steps, busy }: StagePanelProps) {
  const { data: room } = api.useRoomQuery(piece.id);
  const files = deliveredFiles(steps);
  return (
    <section aria-label="Archive" className="border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Archive</h3>
      <p className="mb-2 mt-0 text-muted">
        Raw data, results, the whole ledger and checksums in one zip. Brought in again on a shelf, it is this piece as
        it is now, every step to be undone or repeated.
      </p>
      <a
        href={busy ? undefined : `/api/pieces/${piece.id}/archive`}
        download
        aria-disabled={busy}
        className="inline-flex min-h-8 items-center gap-1.5 rounded-lg border border-line bg-panel px-3 py-1 text-ink no-underline hover:bg-sunk aria-disabled:opacity-50"
      >
        <Package size={16} aria-hidden /> Take the archive{room ? ` (${bytesText(room.bytes)})` : ''}
      </a>
      <p className="mb-0 mt-2 text-muted">
        {busy
          ? 'A step is running: archive once it has come to its end.'
          : files.length > 0
            ? `To be opened with other programs: ${files.map((f) => f.name).join(', ')}.`
            : 'What was delivered lies in it to be opened with other programs. Nothing was yet: write the points as E57 and the surface as GLB first.'}
      </p>
    </section>
  );
}
