import { useState } from 'react';
import { Link } from 'react-router';
import type { PieceView, ScanView } from '@amber-knit/contracts';
import { api, problemText } from '../api/api';
import { Button, Notice } from '../shared/controls';

/** Copies scans to another piece, or doubles them in this one: points, frames, places and notes. */
export function SendStrands({ piece, chosen }: { piece: PieceView; chosen: readonly ScanView[] }) {
  const { data: pieces } = api.usePiecesQuery();
  const [copy, { isLoading, error }] = api.useCopyScansMutation();
  const [to, setTo] = useState('');
  const [sent, setSent] = useState<PieceView | null>(null);
  const others = (pieces ?? []).filter((p) => p.id !== piece.id);
  const send = async (): Promise<void> => {
    setSent(null);
    const { data } = await copy({ pieceId: piece.id, scans: chosen.map((s) => s.id), to: to || piece.id });
    if (data) setSent(data);
  };
  return (
    <div className="flex flex-col gap-1.5">
      <div className="flex gap-1.5">
        <select
          aria-label="Piece that gets copies of the chosen strands"
          value={to}
          onChange={(e) => setTo(e.target.value)}
          className="min-w-0 flex-1 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        >
          <option value="">This piece</option>
          {others.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
        <Button
          onClick={() => void send()}
          disabled={isLoading}
          title="Copies with their points, frames, places and notes"
        >
          Copy
        </Button>
      </div>
      {isLoading && <p className="m-0 text-muted">Copying …</p>}
      {sent && sent.id !== piece.id && (
        <p className="m-0">
          They are in <Link to={`/pieces/${sent.id}/bench/capture`}>{sent.name}</Link> now.
        </p>
      )}
      {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
    </div>
  );
}
