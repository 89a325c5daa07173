import { useEffect, useRef } from 'react';
import { dimensionText } from '@amber-knit/operations/quantity-text';
import { useStore } from '../../../shared/store';
import { DimensionLabels } from '../../../view/dimension-labels';
import { useViewInput, type OverlayProps } from '../../../view/view-overlay';
import { placingDesk } from '../placing/placing-desk';
import { dimensionsDesk, type DimensionRow } from './dimensions-desk';
import { wordsOf } from './dimension-words';
import { useSheet } from './use-sheet';

/** A click moves the pointer less than this, pixels. */
const STILL = 4;

/** Dimensions in the view: their lines and labels, and the places that are being picked. */
export function DimensionsOverlay({ piece, engine, inputs }: OverlayProps) {
  const { sheet, rows } = useSheet(piece);
  const { tool, selected } = useStore(dimensionsDesk);
  const meshId = piece.mesh?.id;
  const pressed = useRef<[number, number]>([0, 0]);
  useEffect(() => {
    engine.mark(tool.places);
    return () => engine.mark([]);
  }, [engine, tool.places]);
  useViewInput(inputs, {
    onPointerDown: (e) => void (pressed.current = [e.clientX, e.clientY]),
    onPointerUp: (e) => {
      const still = Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) < STILL;
      const found = still && tool.kind && meshId ? engine.pick(e.clientX, e.clientY) : undefined;
      if (found) dimensionsDesk.pick(found.point, meshId!, sheet?.asked ?? []);
    },
    cancel: () => dimensionsDesk.cancel(),
  });
  // In other surroundings the piece lies elsewhere: its dimensions wait until it is back.
  const placed = useStore(placingDesk, (s) => s.open !== null);
  const drawn = (placed ? [] : rows).filter(
    (r): r is Required<DimensionRow> => r.found !== undefined && !r.found.fault,
  );
  const numbers = drawn.map((row) => rows.indexOf(row));
  const chosen = selected === null ? -1 : numbers.indexOf(selected);
  return (
    <>
      <DimensionLabels
        engine={engine}
        // Numbered as in the list; how sure it is stands there.
        rows={drawn.map(({ asked, found }, i) => ({
          text: `${numbers[i] + 1}: ${dimensionText(asked, found)}`,
          title: asked.name,
          label: found.label,
          lines: found.lines,
          unsure: found.inventedRatio > 0,
        }))}
        selected={chosen < 0 ? null : chosen}
        onSelect={(at) => dimensionsDesk.select(at === null ? null : numbers[at])}
        passive={tool.kind !== null}
      />
      {tool.kind && (
        <div role="status" className="absolute bottom-3 left-3 rounded-lg border border-line bg-panel px-3 py-2">
          <b>{wordsOf(tool.kind).title}.</b> {wordsOf(tool.kind).hints[tool.places.length]}{' '}
          <span className="text-muted">Escape ends it.</span>
        </div>
      )}
    </>
  );
}
