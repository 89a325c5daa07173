import { useState } from 'react';
import type { PieceSummary } from '@amber-knit/contracts';
import { accountsApi } from '../../api/accounts-api';
import { problemText } from '../../api/api';
import { Button, Notice } from '../../shared/controls';
import { Modal } from '../../shared/modal';

/** Gives a piece to somebody, or to the workshop. */
export function OwnerDialog({ piece, open, onClose }: { piece: PieceSummary; open: boolean; onClose(): void }) {
  const { data: names = [] } = accountsApi.useNamesQuery(undefined, { skip: !open });
  const [giveTo, { error, isLoading }] = accountsApi.useGiveToMutation();
  const [chosen, setChosen] = useState<string>();
  const owner = chosen ?? piece.owner?.id ?? '';
  const give = async (): Promise<void> => {
    await giveTo({ pieceId: piece.id, owner: owner || null }).unwrap();
    onClose();
  };
  return (
    <Modal title={`Whose is ${piece.name}?`} open={open} onClose={onClose}>
      <p className="mb-3 mt-0 text-muted">
        Every technician works on a piece of the workshop. One that belongs to somebody is changed by them alone, and by
        administrators; the others look and measure.
      </p>
      <label className="flex items-center gap-2">
        It belongs to
        <select
          value={owner}
          onChange={(e) => setChosen(e.target.value)}
          className="rounded-lg border border-[var(--field)] bg-panel px-1.5 py-1 text-ink"
        >
          <option value="">the workshop</option>
          {names.map((n) => (
            <option key={n.id} value={n.id}>
              {n.name}
            </option>
          ))}
        </select>
      </label>
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="go" disabled={isLoading} onClick={() => void give().catch(() => undefined)}>
          Give it
        </Button>
      </div>
    </Modal>
  );
}
