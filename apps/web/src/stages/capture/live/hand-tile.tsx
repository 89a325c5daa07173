import { useEffect, useRef, useSyncExternalStore, type PointerEvent } from 'react';
import { CameraTile, DotMarks, FramingAid } from './camera-tile';
import { captureClient } from './capture-client';
import { approached, dragged, keyed, pinched, type Place } from './scanner-hand';

/** The colour view; on a simulated device it is also the hand that holds the scanner. */
export function HandTile() {
  const { bench, device, report } = useSyncExternalStore(captureClient.subscribe, captureClient.current);
  /** Fingers, or the mouse, that are down. */
  const down = useRef(new Map<number, Place>());
  const wanted = useRef(bench?.held);
  // Where the hand wants to be is known here; only a sweep moves it otherwise.
  const sweep = bench ? (bench.sweep ?? 'none') : 'unknown';
  useEffect(() => {
    wanted.current = captureClient.current().bench?.held;
  }, [sweep, device]);
  const move = (change: (held: NonNullable<typeof bench>['held']) => NonNullable<typeof bench>['held'] | undefined) => {
    const next = wanted.current && change(wanted.current);
    if (!next) return false;
    wanted.current = next;
    captureClient.tell({ type: 'bench', hold: next, sweep: null });
    return true;
  };
  const follow = (e: PointerEvent): void => {
    const before = down.current.get(e.pointerId);
    if (!before) return;
    const after: Place = [e.clientX, e.clientY];
    const other = [...down.current].find(([id]) => id !== e.pointerId)?.[1];
    down.current.set(e.pointerId, after);
    if (other) move((h) => pinched(h, [before, other], [after, other]));
    else move((h) => dragged(h, after[0] - before[0], after[1] - before[1], e.shiftKey));
  };
  const lift = (e: PointerEvent): void => void down.current.delete(e.pointerId);
  const movable = device?.bench !== undefined;
  return (
    <CameraTile
      kind="color"
      label="Colour view"
      help={
        movable
          ? 'Drag to walk round the object, Shift and drag or two fingers to aim, wheel or pinch to come closer; or arrows, W A S D to aim, + and −'
          : undefined
      }
      tabIndex={0}
      onPointerDown={(e) => {
        down.current.set(e.pointerId, [e.clientX, e.clientY]);
        e.currentTarget.setPointerCapture(e.pointerId);
      }}
      onPointerMove={follow}
      onPointerUp={lift}
      onPointerCancel={lift}
      onWheel={(e) => move((h) => approached(h, Math.sign(e.deltaY)))}
      onKeyDown={(e) => {
        if (move((h) => keyed(h, e.key, e.shiftKey))) e.preventDefault();
      }}
    >
      <FramingAid />
      {report?.dotsAt && <DotMarks places={report.dotsAt} />}
    </CameraTile>
  );
}
