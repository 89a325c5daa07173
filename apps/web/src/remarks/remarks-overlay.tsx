import { useEffect, useRef } from 'react';
import { remarksApi } from '../api/remarks-api';
import { useStore } from '../shared/store';
import { DimensionLabels } from '../view/dimension-labels';
import { useViewInput, type OverlayProps } from '../view/view-overlay';
import { remarksDesk } from './remarks-desk';

/** A click moves the pointer less than this, pixels. */
const STILL = 4;
/** Letters of a remark that are shown in the view. */
const LONGEST = 24;
/** So much of the piece is seen around a place that is visited. */
const NEAR = 0.4;

/** Remarks in the view: a pin at each place, while their list is open. */
export function RemarksOverlay({ piece, shown, engine, inputs }: OverlayProps) {
  const { open, picking, place, chosen, visits } = useStore(remarksDesk);
  const meshId = piece.mesh?.id;
  const pinned = place && place.meshId === meshId ? place.at : null;
  const { data: remarks = [] } = remarksApi.useRemarksQuery(piece.id, { skip: !open });
  const pressed = useRef<[number, number]>([0, 0]);
  const here = open && piece.mesh !== null && shown !== 'scans';
  useEffect(() => {
    if (!pinned) return undefined;
    engine.mark([pinned]);
    return () => engine.mark([]);
  }, [engine, pinned]);
  useViewInput(inputs, {
    onPointerDown: (e) => void (pressed.current = [e.clientX, e.clientY]),
    onPointerUp: (e) => {
      const still = Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) < STILL;
      const found = still && picking && here ? engine.pick(e.clientX, e.clientY) : undefined;
      if (found && meshId) remarksDesk.picked(found.point, meshId);
    },
    cancel: () => remarksDesk.cancel(),
  });
  const to = remarks.find((r) => r.id === chosen)?.place;
  const size = Number(piece.mesh?.facts.longest ?? 100) * NEAR;
  useEffect(() => {
    if (visits > 0 && to && here) engine.lookAt(to, size);
    // Only a visit moves the view: not a pin that is clicked in it, nor a list that comes anew.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [visits]);
  if (!here) return null;
  const pins = remarks.filter((r) => r.place);
  const drawn = pins.filter((r) => r.fresh && !r.done);
  const at = drawn.findIndex((r) => r.id === chosen);
  return (
    <DimensionLabels
      engine={engine}
      name="Remarks in the view"
      rows={drawn.map((r) => ({
        text: `${pins.indexOf(r) + 1}: ${r.text.length > LONGEST ? `${r.text.slice(0, LONGEST)}…` : r.text}`,
        title: r.by ? `${r.by.name}: ${r.text}` : r.text,
        label: r.place!,
        lines: [],
        unsure: false,
      }))}
      selected={at < 0 ? null : at}
      onSelect={(k) => remarksDesk.set({ chosen: k === null ? null : drawn[k].id })}
      passive={picking}
    />
  );
}
