import { gripChosen, scanMoved, snapToggled, type Grip } from '../../../app/by-hand-slice';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { Button, Check } from '../../../shared/controls';

/** A chosen button of a row. */
export const PRESSED = 'px-2! aria-pressed:border-teal! aria-pressed:bg-teal-soft!';

const GRIPS: [Grip, string][] = [
  ['move', 'Move'],
  ['turn', 'Turn'],
  ['roll', 'Roll'],
];

/** How the scan is moved, and how it lies where it was let go. */
export function MovingForm() {
  const { grip, snap, pose, snapped } = useAppSelector((s) => s.byHand);
  const dispatch = useAppDispatch();
  return (
    <>
      <p className="m-0 text-muted">
        Seize the scan and drag it to where it belongs; near enough, it snaps to the others. Beside it you turn the
        view.
      </p>
      <div role="group" aria-label="A drag does" className="grid grid-cols-3 gap-1">
        {GRIPS.map(([value, text]) => (
          <Button
            key={value}
            aria-pressed={grip === value}
            className={PRESSED}
            onClick={() => dispatch(gripChosen(value))}
          >
            {text}
          </Button>
        ))}
      </div>
      <p className="m-0 text-muted">With Shift held a drag turns, with Alt it rolls in the picture.</p>
      <Check checked={snap} onChange={() => dispatch(snapToggled())}>
        Snap to the others
      </Check>
      <div role="status" className={`rounded-lg px-2 py-1 ${snapped ? 'bg-teal-soft' : 'bg-sunk'}`}>
        {!pose && 'Not moved yet'}
        {pose && !snapped && 'Where you let it go; nothing to snap to there'}
        {snapped && (
          <>
            Snapped: <b className="num">{(100 * snapped.overlap).toFixed(0)} %</b> of it lies on the others,{' '}
            <b className="num">{snapped.rms.toFixed(2)} mm</b> off
          </>
        )}
      </div>
      <Button tone="quiet" disabled={!pose} onClick={() => dispatch(scanMoved(null))}>
        Back to where it was
      </Button>
    </>
  );
}
