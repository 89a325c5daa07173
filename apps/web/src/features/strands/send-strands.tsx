import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import type { PieceView, ScanView } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { Button, Notice } from '../../shared/controls';

/** A copy that is under way: the step that writes the scans, and the piece they go to. */
interface Sending {
  step: string;
  to: string;
}

/** Sends copies of scans to another piece, or doubles them in this one: written into one file, and brought in from it. */
export function SendStrands({ piece, chosen }: { piece: PieceView; chosen: readonly ScanView[] }) {
  const { data: pieces } = api.usePiecesQuery();
  const { data: steps } = api.useStepsQuery(piece.id);
  const [run, running] = api.useRunOperationMutation();
  const [bringIn, bringing] = api.useImportFileMutation();
  const [to, setTo] = useState('');
  const [sending, setSending] = useState<Sending | null>(null);
  const [sent, setSent] = useState<string | null>(null);
  const others = (pieces ?? []).filter((p) => p.id !== piece.id);
  const name = (id: string): string => (id === piece.id ? 'this piece' : (others.find((p) => p.id === id)?.name ?? ''));
  const written = steps?.find((s) => s.id === sending?.step);
  useEffect(() => {
    if (!sending || !written || written.status === 'queued' || written.status === 'running') return;
    setSending(null);
    if (written.status !== 'done') return;
    void bringIn({ pieceId: sending.to, artifact: written.outputs[0] }).then((r) => !r.error && setSent(sending.to));
  }, [sending, written, bringIn]);
  const send = async (): Promise<void> => {
    setSent(null);
    const target = to || piece.id;
    const params = { name: `from ${piece.name}`, format: 'e57', only: chosen.map((s) => s.name) };
    const { data } = await run({ pieceId: piece.id, operationId: 'deliver.points', params });
    if (data) setSending({ step: data.id, to: target });
  };
  const trouble = running.error ?? bringing.error;
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
          disabled={sending !== null || running.isLoading}
          title="Copies with points, colours and places; their frames stay here"
        >
          Copy
        </Button>
      </div>
      {sending && <p className="m-0 text-muted">Copying to {name(sending.to)} …</p>}
      {sent && sent !== piece.id && (
        <p className="m-0">
          On their way to <Link to={`/pieces/${sent}/bench/capture`}>{name(sent)}</Link>.
        </p>
      )}
      {trouble !== undefined && <Notice tone="error">{problemText(trouble)}</Notice>}
    </div>
  );
}
