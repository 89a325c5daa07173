import { useEffect, useSyncExternalStore } from 'react';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { shownAlone } from '../../../app/view-slice';
import { contentOf } from '../../../view/piece-content';
import type { OverlayProps } from '../../../view/view-overlay';
import { framesClient } from './frames-client';

/** The frame that is looked at, over its scan; or the scan's points in the colours of their frames. */
export function FramesOverlay({ engine, piece, shown }: OverlayProps) {
  const { scanId, points, byFrame, levels } = useSyncExternalStore(framesClient.subscribe, framesClient.current);
  const settings = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  useEffect(() => {
    dispatch(shownAlone(scanId));
    return () => void dispatch(shownAlone(null));
  }, [scanId, dispatch]);
  // Coloured by frame, the single frame would hide what is to be seen.
  const frame = byFrame ? null : points;
  useEffect(() => {
    const at = contentOf(piece, shown, settings).clouds.find((c) => c.scanId === scanId);
    engine.showApart('frame', at && frame ? { positions: frame.positions, matrix: at.matrix } : undefined);
    return () => engine.showApart('frame', undefined);
  }, [engine, piece, shown, settings, scanId, frame]);
  useEffect(() => {
    if (!scanId || !byFrame || !levels) return;
    engine.colorByLevel(scanId, levels);
    return () => engine.colorByLevel(scanId, undefined);
  }, [engine, scanId, byFrame, levels]);
  return null;
}
