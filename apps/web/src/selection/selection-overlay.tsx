import { useEffect } from 'react';
import { Plus } from 'lucide-react';
import { useAppSelector } from '../app/store';
import { isSelectTool } from '../app/view-slice';
import { slabOf } from '../view/section';
import { useViewInput, type OverlayProps } from '../view/view-overlay';
import { BoxHandles } from './box-handles';
import { DrawingOverlay } from './drawing-overlay';
import { selectionClient } from './selection-client';
import { useSelectGesture } from './use-select-gesture';

/** Selecting points in the view: the tools' drawing, and what is selected. */
export function SelectionOverlay({ engine, inputs, extent }: OverlayProps) {
  const { tool, section } = useAppSelector((s) => s.view);
  const gesture = useSelectGesture(engine);
  useViewInput(inputs, {
    ...gesture,
    onKey: (e) => e.key === 'Enter' && gesture.clickMiddle(),
  });
  useEffect(
    () =>
      selectionClient.addViewer({
        marks: (m) => engine.markPoints(m.scanId, m.selected, m.leaving),
        levels: (scanId, levels) => engine.colorByLevel(scanId, levels),
      }),
    [engine],
  );
  const [from, to] = extent;
  useEffect(() => {
    selectionClient.setSlab(section ? slabOf(section, [from, to]) : null);
  }, [section, from, to]);
  return (
    <>
      <DrawingOverlay drawing={gesture.drawing} />
      {isSelectTool(tool) && (
        <Plus
          aria-hidden
          className="pointer-events-none absolute left-1/2 top-1/2 hidden -translate-1/2 text-amber peer-focus-visible:block"
        />
      )}
    </>
  );
}

/** Taking points away: the crop box with its handles, and the key that cuts what is selected. */
export function CuttingOverlay({ engine, inputs }: OverlayProps) {
  const box = useAppSelector((s) => s.select.box);
  useViewInput(inputs, {
    onKey: (e) => {
      if (e.key !== 'Delete' || selectionClient.current().total === 0) return false;
      void selectionClient.cut('remove', '');
      return true;
    },
  });
  return box && <BoxHandles engine={engine} box={box} />;
}
