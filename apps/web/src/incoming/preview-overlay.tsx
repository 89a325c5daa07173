import { useEffect, useSyncExternalStore } from 'react';
import { arrivingMatrix } from '../view/piece-content';
import type { OverlayProps } from '../view/view-overlay';
import { previewClient } from './preview-client';

/** A file that is on its way in, as it has its points, until it is stored. */
export function PreviewOverlay({ engine, piece, shown }: OverlayProps) {
  const preview = useSyncExternalStore(previewClient.subscribe, previewClient.current);
  useEffect(() => {
    const covered = shown !== 'scans' && piece.mesh !== null;
    engine.showApart('arriving', preview && !covered ? { ...preview, matrix: arrivingMatrix(piece) } : undefined);
    return () => engine.showApart('arriving', undefined);
  }, [engine, piece, shown, preview]);
  const empty = piece.scanList.length === 0;
  useEffect(() => {
    if (preview && empty) engine.fit();
  }, [engine, preview, empty]);
  if (!preview) return null;
  return (
    <div role="status" className="absolute bottom-3 left-3 rounded-lg border border-line bg-panel px-3 py-2">
      {preview.name} as the file has it, while it is stored
    </div>
  );
}
