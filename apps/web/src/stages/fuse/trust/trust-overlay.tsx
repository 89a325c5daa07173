import { useEffect, useMemo, useRef } from 'react';
import { api } from '../../../api/api';
import { useStore } from '../../../shared/store';
import { useViewInput, type OverlayProps } from '../../../view/view-overlay';
import { ballOutlines, trustDesk } from './trust-desk';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
/** A click moves the pointer less than this, pixels. */
const STILL = 4;

/** Outlines of the places where scans are chosen; while one is marked, a click adds to it. */
export function TrustOverlay({ piece, engine, inputs }: OverlayProps) {
  const { draft, selected } = useStore(trustDesk);
  const { data: sheet } = api.useTrustQuery(piece.trust?.id ?? '', { skip: !piece.trust });
  const kept = piece.trust ? sheet : undefined;
  const pressed = useRef<[number, number]>([0, 0]);
  const outlines = useMemo(() => {
    const regions = draft ? [draft] : (kept?.regions.filter((_, i) => selected === null || i === selected) ?? []);
    return ballOutlines(regions.flatMap((r) => r.balls));
  }, [draft, kept, selected]);
  useEffect(() => {
    engine.showApart(
      'trust',
      outlines.length > 0 ? { positions: outlines, matrix: IDENTITY, through: true } : undefined,
    );
    return () => engine.showApart('trust', undefined);
  }, [engine, outlines]);
  useViewInput(inputs, {
    onPointerDown: (e) => void (pressed.current = [e.clientX, e.clientY]),
    onPointerUp: (e) => {
      if (!draft || Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) >= STILL) return;
      const found = engine.pick(e.clientX, e.clientY);
      if (found) trustDesk.addBall(found.point);
    },
    cancel: () => trustDesk.end(),
  });
  if (!draft) return null;
  return (
    <div role="status" className="absolute bottom-3 left-3 rounded-lg border border-line bg-panel px-3 py-2">
      <b>{draft.name}.</b> Click where these scans shall count: each click adds a ball.{' '}
      <span className="text-muted">Escape ends it.</span>
    </div>
  );
}
