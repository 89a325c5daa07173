import { useCallback, useRef, useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { api } from '../api/api';
import { ChosenStrands } from './chosen-strands';
import { StrandCard } from './strand-card';
import { orderedStrands, STRAND_ORDERS, tagsIn, type StrandOrder } from './strand-order';
import { StrandRow, STRANDS_DRAGGED } from './strand-row';
import { useStrandKeys } from './use-strand-keys';

/** From so many scans on they can be searched and sorted. */
const MANY = 6;

/** The scans of the piece by setup: chosen by their boxes, dragged to another setup, opened by their names. */
export function StrandList({ piece }: { piece: PieceView }) {
  const [label] = api.useLabelScansMutation();
  const [chosenIds, setChosen] = useState<readonly string[]>([]);
  const [open, setOpen] = useState<string | null>(null);
  const [order, setOrder] = useState<StrandOrder>('arrival');
  const [words, setWords] = useState('');
  const [over, setOver] = useState<string | null>(null);
  const many = piece.scanList.length >= MANY;
  const [wantedTags, setWantedTags] = useState<readonly string[]>([]);
  const tags = tagsIn(piece.scanList);
  // A tag that no strand has any more narrows nothing.
  const wanted = wantedTags.filter((t) => tags.includes(t));
  const shown = orderedStrands(piece.scanList, many ? order : 'arrival', many ? words : '', wanted);
  const chosen = piece.scanList.filter((s) => chosenIds.includes(s.id));
  const card = piece.scanList.find((s) => s.id === open);
  const toggle = useCallback(
    (id: string) => setChosen((ids) => (ids.includes(id) ? ids.filter((x) => x !== id) : [...ids, id])),
    [],
  );
  // As they stand on the screen: by setup.
  const inOrder = piece.setups.flatMap((setup) => shown.filter((s) => s.setup === setup)).map((s) => s.id);
  const { current, onKeyDown, onFocus } = useStrandKeys(inOrder, setChosen, setOpen);
  const latest = useRef(chosenIds);
  latest.current = chosenIds;
  const draggedWith = useCallback((id: string) => (latest.current.includes(id) ? latest.current : [id]), []);
  const drop = (data: string, setup: string): void => {
    setOver(null);
    const scans = JSON.parse(data || '[]') as string[];
    const moved = piece.scanList.filter((s) => scans.includes(s.id) && s.setup !== setup).map((s) => s.id);
    if (moved.length > 0) void label({ pieceId: piece.id, scans: moved, setup });
  };
  return (
    <aside
      aria-label="Strands"
      onKeyDown={onKeyDown}
      onFocus={onFocus}
      className="flex w-68 shrink-0 flex-col overflow-y-auto border-r border-line bg-panel py-3"
    >
      <div className="flex justify-between px-3">
        <h2 className="m-0 text-sm font-semibold">Strands</h2>
        <span className="num text-muted">{piece.scans}</span>
      </div>
      {piece.scans === 0 && <p className="px-3 text-muted">No scans yet. Drop scan files anywhere on this page.</p>}
      {many && (
        <div className="mt-2 flex gap-1.5 px-3">
          <input
            type="search"
            aria-label="Find strands"
            placeholder="Find"
            value={words}
            onChange={(e) => setWords(e.target.value)}
            className="min-w-0 flex-1 rounded-lg border border-[var(--field)] bg-panel px-2 py-0.5"
          />
          <select
            aria-label="Order of the strands"
            value={order}
            onChange={(e) => setOrder(e.target.value as StrandOrder)}
            className="w-28 rounded-lg border border-[var(--field)] bg-panel px-1 py-0.5"
          >
            {Object.entries(STRAND_ORDERS).map(([k, v]) => (
              <option key={k} value={k}>
                {v}
              </option>
            ))}
          </select>
        </div>
      )}
      {tags.length > 0 && (
        <div role="group" aria-label="Tags" className="mt-2 flex flex-wrap gap-1 px-3">
          {tags.map((t) => (
            <button
              key={t}
              type="button"
              aria-pressed={wanted.includes(t)}
              title="Shows only strands with this tag"
              onClick={() => setWantedTags(wanted.includes(t) ? wanted.filter((x) => x !== t) : [...wanted, t])}
              className="rounded-full border border-line bg-transparent px-2 py-0 text-ink hover:bg-sunk aria-pressed:border-teal aria-pressed:bg-teal-soft"
            >
              #{t}
            </button>
          ))}
        </div>
      )}
      {chosen.length > 0 && <ChosenStrands piece={piece} chosen={chosen} onDone={() => setChosen([])} />}
      {piece.scans > 0 && shown.length === 0 && <p className="px-3 text-muted">No strand is called so.</p>}
      {piece.setups
        .filter((setup) => shown.some((s) => s.setup === setup))
        .map((setup) => (
          <section
            key={setup}
            aria-label={setup}
            onDragOver={(e) => {
              if (!e.dataTransfer.types.includes(STRANDS_DRAGGED)) return;
              e.preventDefault();
              setOver(setup);
            }}
            onDragLeave={() => setOver(null)}
            onDrop={(e) => {
              if (!e.dataTransfer.types.includes(STRANDS_DRAGGED)) return;
              e.preventDefault();
              e.stopPropagation();
              drop(e.dataTransfer.getData(STRANDS_DRAGGED), setup);
            }}
            className={over === setup ? 'bg-amber-soft' : ''}
          >
            <h3 className="mb-1 mt-3 px-3 text-sm font-medium text-muted">{setup}</h3>
            <ul className="m-0 list-none p-0">
              {shown
                .filter((s) => s.setup === setup)
                .map((s) => (
                  <StrandRow
                    key={s.id}
                    pieceId={piece.id}
                    scan={s}
                    chosen={chosenIds.includes(s.id)}
                    reached={s.id === current}
                    draggedWith={draggedWith}
                    onChoose={toggle}
                    onOpen={setOpen}
                  />
                ))}
            </ul>
          </section>
        ))}
      {card && <StrandCard key={card.id} piece={piece} scan={card} onClose={() => setOpen(null)} />}
    </aside>
  );
}
