import { useEffect, useRef, useState } from 'react';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { useAppSelector } from '../app/store';
import { MEASURE_IDLE, nextMeasureState, pickedPoints, type MeasureState } from './measure-tool';
import { useViewInput, type OverlayProps } from './view-overlay';

/** The measuring tool: two clicks, and the distance between them. */
export function MeasureOverlay({ engine, inputs }: OverlayProps) {
  const measuring = useAppSelector((s) => s.view.tool === 'measure');
  const [measure, setMeasure] = useState<MeasureState>(MEASURE_IDLE);
  const pressed = useRef<[number, number]>([0, 0]);
  useEffect(() => {
    engine.mark(measuring ? pickedPoints(measure) : []);
  }, [engine, measure, measuring]);
  useViewInput(inputs, {
    onPointerDown: (e) => void (pressed.current = [e.clientX, e.clientY]),
    onPointerUp: (e) => {
      const still = Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) < 4;
      const found = still && measuring ? engine.pick(e.clientX, e.clientY) : undefined;
      if (found) setMeasure((m) => nextMeasureState(m, found));
    },
    cancel: () => setMeasure(MEASURE_IDLE),
  });
  if (!measuring) return null;
  return (
    <div role="status" className="absolute bottom-3 left-3 rounded-lg border border-line bg-panel px-3 py-2">
      {measure.name === 'measured' ? (
        <>
          Distance <b className="num">{lengthText(measure.distance)}</b>
          {measure.from.snapped && measure.to.snapped ? ', from point to point' : ''}
        </>
      ) : measure.name === 'started' ? (
        'Click the other end. Escape starts again.'
      ) : (
        'Click one end of the distance.'
      )}
    </div>
  );
}
