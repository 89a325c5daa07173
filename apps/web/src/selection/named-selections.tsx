import { useState } from 'react';
import { X } from 'lucide-react';
import { useAppSelector } from '../app/store';
import { Button } from '../shared/controls';
import { Fold } from '../shared/fold';
import { selectionClient } from './selection-client';

/** Selections kept by name with the piece. */
export function NamedSelections({ names, some }: { names: string[]; some: boolean }) {
  const join = useAppSelector((s) => s.select.join);
  const [name, setName] = useState('');
  return (
    <Fold title="Remembered selections">
      <form
        className="grid grid-cols-[1fr_auto] gap-1"
        onSubmit={(e) => {
          e.preventDefault();
          selectionClient.remember(name.trim());
          setName('');
        }}
      >
        <input
          aria-label="Name of the selection"
          placeholder="for example: handle"
          value={name}
          maxLength={60}
          onChange={(e) => setName(e.target.value)}
          className="w-full min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        />
        <Button type="submit" disabled={!some || name.trim() === ''}>
          Remember
        </Button>
      </form>
      {names.length === 0 ? (
        <p className="m-0 text-muted">Select points, name them, and have them back later.</p>
      ) : (
        <ul className="m-0 flex list-none flex-wrap gap-1 p-0">
          {names.map((n) => (
            <li key={n} className="flex">
              <Button
                className="rounded-r-none! px-2!"
                title={`Selects "${n}" again`}
                onClick={() => selectionClient.select({ kind: 'named', name: n }, join)}
              >
                {n}
              </Button>
              <Button
                className="rounded-l-none! border-l-0! px-1!"
                aria-label={`Forget ${n}`}
                title="Forget it"
                onClick={() => selectionClient.forget(n)}
              >
                <X size={13} />
              </Button>
            </li>
          ))}
        </ul>
      )}
    </Fold>
  );
}
