import { useEffect, useState, useSyncExternalStore } from 'react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { PieceView } from '@amber-knit/contracts';
import { api, problemText } from '../../../api/api';
import { Button, Notice } from '../../../shared/controls';
import { FAULT_WORDS, framesClient, proposedFrames } from './frames-client';

/** Choosing which frames of a scan are used: what seems wrong is proposed, the user decides. */
export function FramesPanel({ piece, busy }: { piece: PieceView; busy: boolean }) {
  const view = useSyncExternalStore(framesClient.subscribe, framesClient.current);
  const withFrames = piece.scanList.filter((s) => s.framesId);
  const [chosen, setChosen] = useState('');
  const [run, { isLoading, error }] = api.useRunOperationMutation();
  const open = withFrames.find((s) => s.id === view.scanId);
  const stored = open?.droppedFrames.join('\n');
  // After the change was made, undone or redone, what the scan has counts.
  useEffect(() => {
    if (stored !== undefined) framesClient.takeOver(stored === '' ? [] : stored.split('\n'));
  }, [stored]);
  useEffect(() => () => framesClient.close(), []);

  if (withFrames.length === 0) return null;
  const scan = withFrames.find((s) => s.id === chosen) ?? withFrames[0];
  const proposed = proposedFrames(view);
  const names = [...view.dropped].sort();
  const changed = open !== undefined && names.join('\n') !== open.droppedFrames.toSorted().join('\n');
  const frame = view.frames[view.at];
  const gone = frame !== undefined && view.dropped.has(frame.name);
  return (
    <section aria-label="Frames" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">Frames</h3>
      {!open && (
        <>
          <p className="mb-2 mt-1 text-muted">
            Look through the single frames of a scan; leave out those that are out of place, blurred or empty.
          </p>
          <div className="flex gap-2">
            <select
              aria-label="Scan whose frames are shown"
              value={scan.id}
              onChange={(e) => setChosen(e.target.value)}
              className="min-w-0 flex-1 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
            >
              {withFrames.map((s) => (
                <option key={s.id} value={s.id}>
                  {s.name}, {s.frames} frames
                </option>
              ))}
            </select>
            <Button onClick={() => framesClient.open(scan)}>Open</Button>
          </div>
        </>
      )}
      {open && (
        <div className="mt-1 flex flex-col gap-2">
          <p className="m-0">
            <b className="font-semibold">{open.name}</b>:{' '}
            <span className="num">
              {view.frames.length - view.dropped.size} of {view.frames.length}
            </span>{' '}
            frames used.
          </p>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={view.byFrame}
              disabled={view.frames.length === 0}
              onChange={(e) =>
                framesClient.colorByFrame(e.target.checked, String(open.cloud.facts.base ?? open.cloud.id))
              }
              className="accent-[var(--amber)]"
            />
            Colour its points by frame
          </label>
          {view.byFrame && (
            <p className="m-0 text-muted" role="status">
              {view.levels
                ? 'Dark: the first frames; light: the last. Grey: no frame is known.'
                : 'Finding the frames …'}
            </p>
          )}
          {view.said && <Notice tone="error">{view.said}</Notice>}
          {frame && (
            <div className="flex items-center gap-2">
              <span className="flex-1">
                Frame <span className="num">{view.at + 1}</span>
                {frame.faults.length > 0 && `: ${frame.faults.map((f) => FAULT_WORDS[f]).join(', ')}`}
              </span>
              <Button onClick={() => framesClient.drop([view.at], !gone)}>{gone ? 'Take in' : 'Leave out'}</Button>
            </div>
          )}
          {view.judging === null && proposed.length === 0 && (
            <p className="m-0 text-muted">Nothing is proposed: all frames that are used fit one another.</p>
          )}
          {proposed.length > 0 && (
            <div className="rounded-lg border border-line px-3 py-2">
              <p className="m-0 mb-1">
                <span className="num">{proposed.length}</span> {proposed.length === 1 ? 'frame seems' : 'frames seem'}{' '}
                faulty:
              </p>
              <ul className="m-0 mb-2 flex max-h-32 list-none flex-wrap gap-1 overflow-y-auto p-0">
                {proposed.map((i) => (
                  <li key={i}>
                    <Button
                      className="px-2! py-0!"
                      title={view.frames[i].faults.map((f) => FAULT_WORDS[f]).join(', ')}
                      onClick={() => framesClient.look(i)}
                    >
                      {i + 1}
                    </Button>
                  </li>
                ))}
              </ul>
              <Button onClick={() => framesClient.drop(proposed, true)}>
                {proposed.length === 1 ? 'Leave it out' : 'Leave them all out'}
              </Button>
            </div>
          )}
          {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
          <div className="flex gap-2">
            <Button
              tone="go"
              disabled={!changed || busy || isLoading || names.length >= view.frames.length}
              onClick={() =>
                void run({
                  pieceId: piece.id,
                  operationId: OPERATION_IDS.cleanFrames,
                  params: { scan: open.name, dropped: names },
                })
              }
            >
              Use these frames
            </Button>
            {changed && <Button onClick={() => framesClient.takeOver(open.droppedFrames)}>Back</Button>}
          </div>
        </div>
      )}
    </section>
  );
}
