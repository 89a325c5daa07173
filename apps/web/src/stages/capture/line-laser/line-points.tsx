import { useEffect, useRef, useState, useSyncExternalStore } from 'react';
import { LiveView } from '../live/live-view';
import { lineLaserClient } from './line-laser-client';

const RANGE = { near: 50, best: 330, far: 2000 };

/** The points of the turn in space. A click traces the place back to its pictures, measured or not. */
export function LinePoints() {
  const { traced, points } = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<LiveView | null>(null);
  const [shape, setShape] = useState(true);
  const pressed = useRef<[number, number] | null>(null);
  useEffect(() => {
    const live = new LiveView(canvas.current!, RANGE, 1.1);
    live.setPlace({ normal: [0, 0, 1], distance: 0 }, [0, 0, 45]);
    live.lookFromAside(430);
    live.hideInside(true);
    view.current = live;
    const remove = lineLaserClient.addViewer(({ positions, normals, colors, step }) => {
      live.clear();
      live.setSplatSize(Math.max(0.8, 1.3 * step));
      live.add([{ block: 0, positions, normals, colors }]);
    });
    return () => {
      remove();
      live.dispose();
      view.current = null;
    };
  }, []);
  useEffect(() => view.current?.setColor(shape ? 'shape' : 'true'), [shape]);
  useEffect(() => {
    const light = traced?.traces[0]?.light;
    view.current?.setMark(traced && light ? { place: traced.place, along: light } : null);
  }, [traced]);
  return (
    <div
      className="relative min-h-0 min-w-0 flex-1 overflow-hidden"
      style={{ background: 'linear-gradient(var(--view-top), var(--view-bottom))' }}
    >
      <canvas
        ref={canvas}
        className="absolute inset-0 block h-full w-full touch-none"
        aria-label="Points of the turn. Click a place to see the picture it comes from."
        data-points={points}
        onPointerDown={(e) => (pressed.current = [e.clientX, e.clientY])}
        onPointerUp={(e) => {
          const from = pressed.current;
          if (!from || Math.hypot(e.clientX - from[0], e.clientY - from[1]) > 4) return;
          const box = e.currentTarget.getBoundingClientRect();
          const place = view.current?.placeAt(
            (2 * (e.clientX - box.left)) / box.width - 1,
            1 - (2 * (e.clientY - box.top)) / box.height,
          );
          if (place) lineLaserClient.trace(place);
        }}
      />
      <label className="absolute right-2 top-2 flex items-center gap-2 rounded-lg border border-line bg-panel px-2 py-1">
        <input type="checkbox" checked={!shape} onChange={(e) => setShape(!e.target.checked)} />
        True colours
      </label>
      {points === 0 && (
        <p className="absolute bottom-3 left-3 right-3 m-0 rounded-lg border border-line bg-panel px-3 py-2 text-muted">
          The points appear here once a turn is recorded. Clicking a place, or a gap, then leads back to its picture.
        </p>
      )}
    </div>
  );
}
