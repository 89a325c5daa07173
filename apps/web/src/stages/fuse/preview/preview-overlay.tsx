import { useEffect } from 'react';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { Button } from '../../../shared/controls';
import { useStore } from '../../../shared/store';
import type { OverlayProps } from '../../../view/view-overlay';
import { previewClient } from './preview-client';

/** The coarse surface in place of the piece, with a word on what it is. */
export function PreviewOverlay({ piece, engine }: OverlayProps) {
  const { working, shown, failed } = useStore(previewClient);
  useEffect(() => {
    engine.showDraft(shown ?? undefined);
    return () => engine.showDraft(undefined);
  }, [engine, shown]);
  // A new surface, or other scans: the preview was of what is no more.
  const of = `${piece.mesh?.id} ${piece.placements?.id} ${piece.scanList.map((s) => s.cloud.id).join()}`;
  useEffect(() => () => previewClient.end(), [of]);
  if (!working && !shown && !failed) return null;
  return (
    <div
      role="status"
      className="absolute bottom-16 left-3 flex items-center gap-3 rounded-lg border border-line bg-panel px-3 py-2"
    >
      <span>
        {failed ? (
          failed
        ) : working ? (
          'Fusing a preview …'
        ) : (
          <>
            <b>Preview</b> at {lengthText(shown!.voxel)}: the shape is seen, fine detail is not.
          </>
        )}
      </span>
      <Button onClick={() => previewClient.end()}>{working ? 'Cancel' : 'Close'}</Button>
    </div>
  );
}
