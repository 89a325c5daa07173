import { useState, type FormEvent } from 'react';
import { Link, useNavigate } from 'react-router';
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { formatDistanceToNow } from 'date-fns';
import { Plus } from 'lucide-react';
import type { PieceSummary } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { STAGES } from '../../app/stages';
import { Button, Header, Notice } from '../../shared/controls';
import { shortCountText } from '@amber-knit/operations/quantity-text';

/** All pieces as cards. */
export function ShelfPage() {
  const { data, error, isLoading } = api.usePiecesQuery();
  const [creating, setCreating] = useState(false);
  return (
    <div className="flex min-h-screen flex-col">
      <Header trail={[{ label: 'Shelf' }]}>
        <Button tone="go" onClick={() => setCreating(true)}>
          <Plus size={16} /> New piece
        </Button>
      </Header>
      <main className="mx-auto w-full max-w-6xl p-6">
        <h1 className="mb-1 text-2xl font-semibold">Shelf</h1>
        <p className="mb-5 text-muted">
          Every piece is one object to deliver, from its loose scans to the finished mesh.
        </p>
        {error && <Notice tone="error">{problemText(error)}</Notice>}
        {isLoading && <p className="text-muted">Looking on the shelf …</p>}
        {data?.length === 0 && (
          <Notice>The shelf is empty. Make a new piece, then drop its scan files (PLY, OBJ, STL) onto it.</Notice>
        )}
        <ul className="grid list-none grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-5 p-0">
          {data?.map((p) => (
            <li key={p.id}>
              <PieceCard piece={p} />
            </li>
          ))}
        </ul>
      </main>
      <NewPieceDialog open={creating} onClose={() => setCreating(false)} />
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
        <h2 className="m-0 text-base font-semibold">{piece.name}</h2>
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
          <dt className="text-muted">Changed</dt>
          <dd className="m-0 text-right">{formatDistanceToNow(new Date(piece.updatedAt), { addSuffix: true })}</dd>
        </dl>
      </div>
    </Link>
  );
}

/** The piece's turntable strip; moving the pointer across turns it. */
function Turntable({ piece }: { piece: PieceSummary }) {
  const views = Number(piece.picture?.facts.views ?? 1);
  const [view, setView] = useState(0);
  if (!piece.picture) {
    return (
      <div className="flex h-44 items-center justify-center bg-sunk" aria-hidden>
        <svg
          width="150"
          height="90"
          viewBox="0 0 150 90"
          fill="none"
          strokeWidth="3"
          strokeLinecap="round"
          opacity=".7"
        >
          {Array.from({ length: Math.min(8, Math.max(1, piece.scans)) }, (_, i) => (
            <path
              key={i}
              d={`M5 ${12 + i * 9}c30 -8 40 8 70 0s40 8 70 0`}
              stroke={i % 2 ? 'var(--teal)' : 'var(--amber)'}
            />
          ))}
        </svg>
      </div>
    );
  }
  return (
    <div
      className="h-44 bg-[#efe9dd]"
      role="img"
      aria-label={`Picture of ${piece.name}`}
      onPointerMove={(e) => {
        const r = e.currentTarget.getBoundingClientRect();
        setView(Math.min(views - 1, Math.max(0, Math.floor(((e.clientX - r.left) / r.width) * views))));
      }}
    >
      <div
        className="mx-auto h-44 w-44"
        style={{
          backgroundImage: `url(/api/artifacts/${piece.picture.id}/data)`,
          backgroundSize: `${176 * views}px 176px`,
          backgroundPosition: `${-176 * view}px 0`,
        }}
      />
    </div>
  );
}

function NewPieceDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [create, { error, isLoading }] = api.useCreatePieceMutation();
  const navigate = useNavigate();
  const submit = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    const piece = await create({
      name: String(form.get('name')).trim(),
      note: String(form.get('note')).trim(),
    }).unwrap();
    void navigate(`/pieces/${piece.id}/bench/capture`);
  };
  return (
    <Dialog open={open} onClose={onClose} className="relative z-20">
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="w-full max-w-md rounded-xl border border-line bg-panel p-5">
          <DialogTitle className="m-0 mb-3 text-lg font-semibold">New piece</DialogTitle>
          <form onSubmit={(e) => void submit(e).catch(() => undefined)} className="flex flex-col gap-3">
            <label className="flex flex-col gap-1">
              Name
              <input
                name="name"
                required
                maxLength={120}
                autoFocus
                className="rounded-lg border border-[var(--field)] bg-panel px-3 py-1.5"
              />
            </label>
            <label className="flex flex-col gap-1">
              Note
              <input
                name="note"
                maxLength={400}
                placeholder="Material, size, what it is for"
                className="rounded-lg border border-[var(--field)] bg-panel px-3 py-1.5"
              />
            </label>
            {error && <Notice tone="error">{problemText(error)}</Notice>}
            <div className="mt-1 flex justify-end gap-2">
              <Button onClick={onClose}>Cancel</Button>
              <Button tone="go" type="submit" disabled={isLoading}>
                Make it
              </Button>
            </div>
          </form>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
