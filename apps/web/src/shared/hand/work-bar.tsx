import { Redo2, Undo2 } from 'lucide-react';
import { Button, Notice } from '../controls';
import type { WorkState } from './work-client';

/** What was drawn and is no step yet: kept, taken back one by one, thrown away. */
export function WorkBar({
  work: { edits, canRedo, notes, failed },
  called,
  error,
  busy,
  waiting,
  onKeep,
  onStep,
  onDiscard,
}: {
  work: WorkState<unknown>;
  /** What one edit is called, and several. */
  called: readonly [one: string, many: string];
  error: string | null;
  busy: boolean;
  waiting: boolean;
  onKeep(): void;
  onStep(direction: 'undo' | 'redo'): void;
  onDiscard(): void;
}) {
  return (
    <>
      {failed && <Notice tone="error">{failed}</Notice>}
      {notes.map((n) => (
        <Notice key={n}>{n}</Notice>
      ))}
      {error && <Notice tone="error">{error}</Notice>}
      {(edits.length > 0 || canRedo) && (
        <>
          <p className="mb-1 mt-2" role="status">
            {edits.length === 0
              ? 'All taken back.'
              : `${edits.length} ${called[edits.length === 1 ? 0 : 1]} not kept yet.`}
          </p>
          <div className="flex flex-wrap gap-1">
            <Button tone="go" disabled={busy || waiting || edits.length === 0} onClick={onKeep}>
              Keep as a step
            </Button>
            <Button
              className="px-2"
              aria-label={`Take back the last ${called[0]}`}
              title={`Take back the last ${called[0]} (Ctrl+Z)`}
              disabled={waiting || edits.length === 0}
              onClick={() => onStep('undo')}
            >
              <Undo2 size={15} aria-hidden />
            </Button>
            <Button
              className="px-2"
              aria-label="Do it again"
              title="Do it again (Ctrl+Shift+Z)"
              disabled={waiting || !canRedo}
              onClick={() => onStep('redo')}
            >
              <Redo2 size={15} aria-hidden />
            </Button>
            <Button disabled={waiting} onClick={onDiscard}>
              Throw away
            </Button>
          </div>
        </>
      )}
    </>
  );
}
