import { useState } from 'react';
import type { SharedLook, SharedView, SharedViewTerms, StepView } from '@amber-knit/contracts';
import { Button, Check } from '../../shared/controls';
import { HelpMark } from '../../shared/help-mark';
import { deliveredFiles } from './delivered-files';

const LOOKS: readonly (readonly [SharedLook, string])[] = [
  ['shape', 'Shape without colours'],
  ['sureness', 'What was measured, and how sure it is'],
  ['wireframe', 'Triangles'],
  ['section', 'Sections'],
];

const FIELD = 'rounded-lg border border-[var(--field)] bg-panel px-2 py-1 text-ink';

/** The last moment of a day as it is told by a date field; nothing for an empty one. */
export function endOfDay(day: string): string | null {
  if (day === '') return null;
  const [y, m, d] = day.split('-').map(Number);
  return new Date(y, m - 1, d, 23, 59, 59).toISOString();
}

/** The same the other way round. */
export function dayOf(endsAt: string | null): string {
  if (!endsAt) return '';
  const at = new Date(endsAt);
  const two = (n: number): string => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
}

/** What a link allows: for a new one, or to change one. */
export function SharedViewForm({
  view,
  steps,
  onDone,
  onClose,
}: {
  view?: SharedView;
  steps: readonly StepView[];
  onDone(terms: SharedViewTerms & { password?: string }): void;
  onClose(): void;
}) {
  const files = deliveredFiles(steps);
  const [terms, setTerms] = useState<SharedViewTerms>({
    name: view?.name ?? '',
    note: view?.note ?? '',
    looks: view?.looks ?? ['shape'],
    measuring: view?.measuring ?? true,
    dimensions: view?.dimensions ?? true,
    files: view?.files.filter((id) => files.some((f) => f.id === id)) ?? [],
    endsAt: view?.endsAt ?? null,
  });
  const [password, setPassword] = useState('');
  const [locked, setLocked] = useState(view?.hasPassword ?? false);
  const put = (change: Partial<SharedViewTerms>): void => setTerms({ ...terms, ...change });
  const toggled = <T,>(list: readonly T[], one: T): T[] =>
    list.includes(one) ? list.filter((x) => x !== one) : [...list, one];
  // An empty field keeps the password that there is.
  const secret = !locked ? '' : password || undefined;
  return (
    <form
      className="mt-2 flex flex-col gap-1.5 rounded-lg border border-line bg-sunk p-2.5"
      aria-label={view ? `Change ${view.name}` : 'New link'}
      onSubmit={(e) => {
        e.preventDefault();
        onDone({ ...terms, name: terms.name.trim(), password: secret });
      }}
    >
      <label className="flex flex-col gap-0.5">
        For whom
        <input
          className={FIELD}
          value={terms.name}
          maxLength={120}
          autoFocus
          onChange={(e) => put({ name: e.target.value })}
        />
      </label>
      <label className="flex flex-col gap-0.5">
        What to tell them
        <textarea
          className={FIELD}
          rows={2}
          maxLength={2000}
          value={terms.note}
          onChange={(e) => put({ note: e.target.value })}
        />
      </label>
      <fieldset className="m-0 flex flex-col gap-1 border-0 p-0">
        <legend className="p-0">
          They see the object in its colours, and{' '}
          <HelpMark about="What a link allows">
            Whoever sees the model has its data in the browser. What is not ticked is not offered; only dimensions,
            notes and files that are not ticked stay here altogether.
          </HelpMark>
        </legend>
        {LOOKS.map(([look, words]) => (
          <Check
            key={look}
            checked={terms.looks.includes(look)}
            onChange={() => put({ looks: toggled(terms.looks, look) })}
          >
            {words}
          </Check>
        ))}
        <Check checked={terms.dimensions} onChange={() => put({ dimensions: !terms.dimensions })}>
          Dimensions and notes
        </Check>
        <Check checked={terms.measuring} onChange={() => put({ measuring: !terms.measuring })}>
          They can measure distances
        </Check>
      </fieldset>
      {files.length > 0 && (
        <fieldset className="m-0 flex flex-col gap-1 border-0 p-0">
          <legend className="p-0">Files to download</legend>
          {files.map(({ id, name }) => (
            <Check
              key={id}
              checked={terms.files.includes(id)}
              onChange={() => put({ files: toggled(terms.files, id) })}
            >
              {name}
            </Check>
          ))}
        </fieldset>
      )}
      <label className="flex items-center justify-between gap-2">
        Ends after
        <input
          type="date"
          className={FIELD}
          value={dayOf(terms.endsAt)}
          onChange={(e) => put({ endsAt: endOfDay(e.target.value) })}
        />
      </label>
      <Check checked={locked} onChange={() => setLocked(!locked)}>
        Asks for a password
      </Check>
      {locked && (
        <label className="flex flex-col gap-0.5">
          {view?.hasPassword ? 'Another password (empty: as it is)' : 'Password'}
          <input
            type="password"
            autoComplete="new-password"
            className={FIELD}
            value={password}
            maxLength={200}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
      )}
      <div className="mt-1 flex gap-1">
        <Button
          type="submit"
          tone="go"
          disabled={terms.name.trim() === '' || (locked && !view?.hasPassword && password === '')}
        >
          {view ? 'Change the link' : 'Make the link'}
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </form>
  );
}
