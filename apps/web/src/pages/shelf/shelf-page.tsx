import { useState, type FormEvent } from 'react';
import { Link, useNavigate } from 'react-router';
import { formatDistanceToNow } from 'date-fns';
import { ListChecks, Plus, Sparkles } from 'lucide-react';
import type { PieceSummary } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { STAGES } from '../../app/stages';
import { useWhyNot } from '../../api/accounts-api';
import { Button, Notice, TextRow } from '../../shared/controls';
import { Header } from '../../shared/header';
import { lookedRound } from '../../shared/looked-round';
import { useStore } from '../../shared/store';
import { Turntable } from '../../shared/turntable';
import { ArchiveButton } from './archive-button';
import { PieceMenu } from './piece-menu';
import { PutAway } from './put-away';
import { RunOnSeveral } from './run-on-several';
import { shortCountText } from '@amber-knit/operations/quantity-text';
import { Modal } from '../../shared/modal';

/** All pieces as cards. */
export function ShelfPage() {
  const { data, error, isLoading } = api.usePiecesQuery();
  const [creating, setCreating] = useState<'guided' | 'bench' | null>(null);
  const [several, setSeveral] = useState(false);
  const { done } = useStore(lookedRound);
  const mayBegin = useWhyNot('begin') === null;
  return (
    <div className="flex min-h-screen flex-col">
      <Header trail={[{ label: 'Shelf' }]}>
        {mayBegin && (
          <>
            <ArchiveButton />
            <Button onClick={() => setSeveral(true)}>
              <ListChecks size={16} /> Run a recipe
            </Button>
            <Button onClick={() => setCreating('bench')}>
              <Plus size={16} /> New piece
            </Button>
            <Button tone="go" onClick={() => setCreating('guided')}>
              <Sparkles size={16} /> Make a model for me
            </Button>
          </>
        )}
      </Header>
      <main className="mx-auto w-full max-w-6xl p-6">
        <h1 className="mb-1 text-2xl font-semibold">Shelf</h1>
        <p className="mb-5 text-muted">
          Every piece is one object to deliver, from its loose scans to the finished mesh.
          {!done && data && data.length > 0 && (
            <>
              {' '}
              <Link
                to={`/pieces/${(data.find((p) => p.scans > 0) ?? data[0]).id}/bench/clean?tour`}
                className="text-teal underline"
              >
                First time here? Look round
              </Link>
            </>
          )}
        </p>
        {error && <Notice tone="error">{problemText(error)}</Notice>}
        {isLoading && <p className="text-muted">Looking on the shelf …</p>}
        {data?.length === 0 && (
          <Notice>The shelf is empty. Make a new piece, then drop its scan files (PLY, OBJ, STL) onto it.</Notice>
        )}
        <ul className="grid list-none grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-5 p-0">
          {data?.map((p) => (
            <li key={p.id} className="relative">
              <PieceCard piece={p} />
              <PieceMenu piece={p} />
            </li>
          ))}
        </ul>
        <PutAway />
      </main>
      <RunOnSeveral pieces={data ?? []} open={several} onClose={() => setSeveral(false)} />
      <NewPieceDialog way={creating} onClose={() => setCreating(null)} />
    </div>
  );
}

function PieceCard({ piece }: { piece: PieceSummary }) {
  const reached = STAGES.findIndex(({ id }) => id === piece.stage);
  return (
    <Link
      to={`/pieces/${piece.id}`}
      className="block overflow-hidden rounded-xl border border-line bg-panel text-ink no-underline hover:border-amber"
    >
      <Turntable piece={piece} />
      <div className="p-4">
        <h2 className="m-0 text-base font-semibold">
          {piece.name}
          {piece.owner && <span className="font-normal text-muted"> · {piece.owner.name}</span>}
        </h2>
        <p className="m-0 mt-0.5 line-clamp-2 min-h-10 text-muted">{piece.note || 'No note'}</p>
        <div className="mt-3 flex gap-1" role="img" aria-label={`Stage reached: ${STAGES[reached]?.name}`}>
          {STAGES.map(({ id }, i) => (
            <span key={id} className={`h-1.5 flex-1 rounded-full ${i <= reached ? 'bg-amber' : 'bg-sunk'}`} />
          ))}
        </div>
        <dl className="num m-0 mt-3 grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
          <dt className="text-muted">Stage</dt>
          <dd className="m-0 text-right">{STAGES[reached]?.name}</dd>
          <dt className="text-muted">Scans</dt>
          <dd className="m-0 text-right">
            {piece.scans}, {shortCountText(piece.points)} points
          </dd>
          <dt className="text-muted">Mesh</dt>
          <dd className="m-0 text-right">
            {piece.triangles > 0
              ? `${shortCountText(piece.triangles)} triangles${piece.watertight ? ', closed' : ''}`
              : 'none yet'}
          </dd>
          {piece.running && (
            <>
              <dt className="text-muted">Now</dt>
              <dd className="m-0 truncate text-right font-semibold text-amber">{piece.running}</dd>
            </>
          )}
          <dt className="text-muted">Changed</dt>
          <dd className="m-0 text-right">{formatDistanceToNow(new Date(piece.updatedAt), { addSuffix: true })}</dd>
        </dl>
      </div>
    </Link>
  );
}

function NewPieceDialog({ way, onClose }: { way: 'guided' | 'bench' | null; onClose: () => void }) {
  const [create, { error, isLoading }] = api.useCreatePieceMutation();
  const navigate = useNavigate();
  const submit = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    const piece = await create({
      name: String(form.get('name')).trim(),
      note: String(form.get('note')).trim(),
    }).unwrap();
    void navigate(`/pieces/${piece.id}/${way === 'guided' ? 'guided' : 'bench/capture'}`);
  };
  return (
    <Modal title={way === 'guided' ? 'A model of what?' : 'New piece'} open={way !== null} onClose={onClose}>
      <form onSubmit={(e) => void submit(e).catch(() => undefined)} className="flex flex-col gap-3">
        <TextRow title="Name" name="name" required maxLength={120} autoFocus />
        <TextRow title="Note" name="note" maxLength={400} placeholder="Material, size, what it is for" />
        {error && <Notice tone="error">{problemText(error)}</Notice>}
        <div className="mt-1 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button tone="go" type="submit" disabled={isLoading}>
            Make it
          </Button>
        </div>
      </form>
    </Modal>
  );
}
