import { useState, useSyncExternalStore } from 'react';
import { formatDistanceToNow } from 'date-fns';
import type { CaptureView } from '@amber-knit/contracts';
import { TRACK_BY } from '@amber-knit/planning';
import { api } from '../../../api/api';
import { Button, Notice } from '../../../shared/controls';
import { lineLaserClient } from '../line-laser/line-laser-client';
import { captureClient } from './capture-client';

/** Captures that were begun and never finished: a closed page, a lost connection. */
export function OpenCaptures({ pieceId }: { pieceId: string }) {
  const { data: open, refetch } = api.useOpenCapturesQuery(pieceId, { refetchOnMountOrArgChange: true });
  const { capture, waiting, behind } = useSyncExternalStore(captureClient.subscribe, captureClient.current);
  const [discard] = api.useDiscardCaptureMutation();
  const [finish] = api.useFinishCaptureMutation();
  const [fault, setFault] = useState<string | null>(null);
  const left = open?.filter((c) => c.id !== capture?.id) ?? [];
  if (left.length === 0) return null;
  // A number given twice would drop a frame, so those still under way go first.
  const underWay = waiting + behind;
  const resume = async ({ id }: CaptureView): Promise<void> => {
    try {
      const c = (await refetch().unwrap()).find((o) => o.id === id);
      if (!c) return;
      const held = c.frames > 0 ? await (await fetch(`/api/captures/${c.id}/frames`)).arrayBuffer() : undefined;
      if (c.holds === 'pictures') return lineLaserClient.takeUp(c, held!);
      captureClient.connect(c.deviceId);
      const stop = captureClient.subscribe(() => {
        if (captureClient.current().phase !== 'looking') return;
        stop();
        const { stops = 0, colorViews = 0, trackBy = 1 } = c.settings;
        captureClient.begin(c, { trackBy: TRACK_BY[trackBy] ?? TRACK_BY[1], stops, colorViews }, held);
      });
    } catch {
      setFault('The frames could not be fetched. They are safe on the server; try again.');
    }
  };
  return (
    <section aria-label="Unfinished captures" className="mt-4 flex flex-col gap-2">
      <h3 className="m-0 text-sm font-semibold">Unfinished captures</h3>
      {left.map((c) => (
        <div key={c.id} className="rounded-lg border border-line bg-sunk px-3 py-2">
          <div>{c.name}</div>
          <div className="num text-muted">
            {c.frames} {c.holds} stored, begun {formatDistanceToNow(new Date(c.createdAt))} ago
          </div>
          <div className="mt-1 flex gap-2">
            <Button
              disabled={underWay > 0 || (c.holds === 'pictures' && c.frames === 0)}
              onClick={() => void resume(c)}
            >
              Resume
            </Button>
            {c.holds === 'frames' && (
              <Button
                disabled={c.frames === 0 || underWay > 0}
                onClick={() => void finish({ id: c.id, support: 'remove', place: false })}
              >
                Finish as it is
              </Button>
            )}
            <Button tone="quiet" onClick={() => void discard(c.id)}>
              Discard
            </Button>
          </div>
        </div>
      ))}
      {underWay > 0 && <p className="num m-0 text-muted">{underWay} frames still on their way to the server</p>}
      {fault && <Notice tone="error">{fault}</Notice>}
    </section>
  );
}
