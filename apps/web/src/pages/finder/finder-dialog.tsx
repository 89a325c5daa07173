import { useMemo, useState } from 'react';
import { useMatch, useNavigate } from 'react-router';
import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
  DialogTitle,
} from '@headlessui/react';
import { Search } from 'lucide-react';
import type { PieceSummary } from '@amber-knit/contracts';
import { api } from '../../api/api';
import { Button } from '../../shared/controls';
import { entriesOf, PlaceFinder, type Entry } from './find-places';

/** A line of the list: a place, or a piece. */
type Found = { place: Entry } | { piece: PieceSummary };

const keyOf = (f: Found): string => ('piece' in f ? f.piece.id : `${f.place.where} ${f.place.title}`);

/** Says where something is done, and goes there: of the piece that is open, or of one that is chosen then. */
export function FinderDialog({ onClose }: { onClose(): void }) {
  const here = useMatch('/pieces/:pieceId/*')?.params.pieceId;
  const navigate = useNavigate();
  const { data: operations } = api.useOperationsQuery();
  const { data: pieces = [] } = api.usePiecesQuery();
  const [question, setQuestion] = useState('');
  const [place, setPlace] = useState<Entry | null>(null);
  const finder = useMemo(() => new PlaceFinder(entriesOf(operations ?? [])), [operations]);
  const called = pieces.filter((p) => p.name.toLowerCase().includes(question.trim().toLowerCase()));
  const found: Found[] = place
    ? called.map((piece) => ({ piece }))
    : question.trim()
      ? [...finder.find(question).map((p) => ({ place: p })), ...called.slice(0, 4).map((piece) => ({ piece }))]
      : [];
  const go = (chosen: Found | null): void => {
    if (!chosen) return;
    if ('place' in chosen && !here) {
      setPlace(chosen.place);
      setQuestion('');
      return;
    }
    const [id, path] = 'piece' in chosen ? [chosen.piece.id, place?.path ?? ''] : [here!, chosen.place.path];
    if (path !== null) void navigate(`/pieces/${id}${path}`);
    onClose();
  };
  return (
    <Dialog open onClose={onClose} className="relative z-30">
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 flex items-start justify-center p-4 pt-[12vh]">
        <DialogPanel className="flex max-h-[70vh] w-full max-w-xl flex-col overflow-hidden rounded-xl border border-line bg-panel">
          <DialogTitle className="sr-only">Find</DialogTitle>
          {place && (
            <p className="m-0 flex items-center gap-2 border-b border-line bg-sunk px-4 py-1.5">
              <b className="font-semibold">{place.title}</b> of which piece?
              <span className="flex-1" />
              <Button onClick={() => setPlace(null)}>Back</Button>
            </p>
          )}
          <Combobox value={null} onChange={go} immediate>
            <span className="flex items-center gap-2 border-b border-line px-4">
              <Search size={17} aria-hidden className="shrink-0 text-muted" />
              <ComboboxInput
                key={place ? 'piece' : 'place'}
                autoFocus
                aria-label={place ? 'Name of the piece' : 'What do you want to do?'}
                placeholder={place ? 'Name of the piece' : 'What do you want to do?'}
                autoComplete="off"
                onChange={(e) => setQuestion(e.target.value)}
                // The list would take the first Escape for itself.
                onKeyDown={(e) => e.key === 'Escape' && onClose()}
                className="min-w-0 flex-1 border-0 bg-transparent py-3 text-base text-ink outline-none"
              />
            </span>
            <ComboboxOptions static className="m-0 min-h-0 list-none overflow-y-auto p-1.5">
              {found.map((f) => (
                <ComboboxOption
                  key={keyOf(f)}
                  value={f}
                  className="cursor-pointer rounded-lg px-2.5 py-1.5 data-focus:bg-sunk"
                >
                  <span className="flex items-baseline gap-2">
                    <b className="font-semibold">{'piece' in f ? f.piece.name : f.place.title}</b>
                    <span className="text-muted">{'piece' in f ? 'Piece' : f.place.where}</span>
                  </span>
                  <span className="line-clamp-2 text-muted">{'piece' in f ? f.piece.note : f.place.help}</span>
                </ComboboxOption>
              ))}
            </ComboboxOptions>
          </Combobox>
          {found.length === 0 && (
            <p className="m-0 px-4 pb-4 text-muted">
              {place
                ? 'No piece goes by that name.'
                : question.trim()
                  ? 'Nothing goes by these words. Say it in others, or look through the stages.'
                  : 'Say it in your own words: “close the hole in the bottom”, “how thick are the walls”, “send it to the client”.'}
            </p>
          )}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
