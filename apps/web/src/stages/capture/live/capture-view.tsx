import { useEffect, useRef, useState } from 'react';
import { AlertTriangle, Crosshair } from 'lucide-react';
import { Button } from '../../../shared/controls';
import { useStore } from '../../../shared/store';
import { shortCountText } from '@amber-knit/operations/quantity-text';
import { CameraTile } from './camera-tile';
import { captureClient } from './capture-client';
import { HandTile } from './hand-tile';
import type { Plane } from './capture-messages';
import { LiveView, type LiveColor } from './live-view';
import { liveSettings } from './live-settings';
import { playLost } from './lost-sound';
import { StandOffRuler } from './stand-off-ruler';

const COLORS: [LiveColor, string][] = [
  ['true', 'True'],
  ['shape', 'Shape'],
  ['distance', 'Distance'],
];

/** Width of the camera tiles and their margin, pixels. */
const TILES = 230;

/** The middle of the bench while scanning: the growing model, the device's pictures, the ruler. */
export function CaptureView() {
  const { cutHeight, sound } = useStore(liveSettings);
  const state = useStore(captureClient);
  const { device, report, lostSince, phase } = state;
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<LiveView | null>(null);
  const plane = useRef<Plane | null>(null);
  const height = useRef(cutHeight);
  const [splats, setSplats] = useState(0);
  const [color, setColor] = useState<LiveColor>('true');

  useEffect(() => {
    if (!device) return;
    const focal = device.depthSize.width / 2 / Math.tan((device.fieldOfView.horizontal * Math.PI) / 360);
    const live = new LiveView(canvas.current!, device.range, (1.6 * device.range.best) / focal, TILES);
    live.onCount = setSplats;
    view.current = live;
    let kept = 0;
    const remove = captureClient.addViewer({
      cleared: () => live.clear(),
      patches: (p) => live.add(p),
      support: (p, middle) => {
        plane.current = p;
        live.setPlace(p, middle);
        live.setCut(p, height.current);
      },
      frame: (r) => {
        if (!r.pose) return;
        live.setPose(r.pose, r.state !== 'lost');
        if (r.kept > kept) live.addStand(r.pose);
        kept = r.kept;
      },
    });
    return () => {
      remove();
      live.dispose();
      view.current = null;
    };
  }, [device]);
  useEffect(() => view.current?.setColor(color), [color]);
  useEffect(() => {
    height.current = cutHeight;
    view.current?.setCut(plane.current, cutHeight);
  }, [cutHeight]);

  const lost = lostSince !== null && phase === 'recording';
  useEffect(() => {
    if (lost && sound) playLost();
  }, [lost, sound]);

  if (!device) return null;
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div
        className={`relative min-h-0 flex-1 overflow-hidden ${lost ? 'outline-4 -outline-offset-4 outline-brick' : ''}`}
        style={{ background: 'linear-gradient(var(--view-top), var(--view-bottom))' }}
      >
        <canvas
          ref={canvas}
          className="absolute inset-0 block h-full w-full touch-none"
          aria-label="The model as it grows"
          data-splats={splats}
          data-state={report?.state ?? 'looking'}
          data-kept={report?.kept ?? 0}
          data-frames={report?.sequence ?? 0}
        />
        <div className="absolute left-3 top-3 flex flex-col gap-2">
          <HandTile />
          <CameraTile kind="sensor" label="Sensor view">
            <div className="grid grid-cols-[1fr_auto] bg-[#1d1a16] px-2 py-1 text-[#f1e9dc]">
              <span>/// over-exposed</span>
              <span className="num">{((report?.burnt ?? 0) * 100).toFixed(0)} %</span>
              <span>\\\ no depth</span>
              <span className="num">{((report?.missing ?? 0) * 100).toFixed(0)} %</span>
            </div>
          </CameraTile>
        </div>
        <div className="absolute right-3 top-3 flex items-center gap-2 rounded-lg border border-line bg-panel p-1">
          <div role="group" aria-label="Colouring" className="flex">
            {COLORS.map(([id, name]) => (
              <button
                key={id}
                type="button"
                aria-pressed={color === id}
                onClick={() => setColor(id)}
                className={`min-h-8 rounded-md border-0 px-3 ${color === id ? 'bg-teal-soft font-semibold text-teal' : 'bg-transparent text-ink'}`}
              >
                {name}
              </button>
            ))}
          </div>
          <Button
            tone="quiet"
            className="px-2"
            onClick={() => view.current?.followScanner()}
            title="Follow the scanner"
          >
            <Crosshair size={16} /> Follow
          </Button>
        </div>
        {lost && (
          <div
            role="alert"
            className="absolute left-1/2 top-16 flex max-w-md -translate-x-1/2 items-start gap-3 rounded-xl border-2 border-brick bg-brick-soft px-4 py-3 text-brick"
          >
            <AlertTriangle className="mt-0.5 shrink-0" size={22} />
            <div>
              <b className="block text-lg">Tracking lost</b>
              Nothing is added now. Move slowly back to a place you have scanned; it goes on by itself.
            </div>
          </div>
        )}
        {state.shown && phase === 'looking' && (
          <p
            role="status"
            className="absolute bottom-4 right-4 m-0 max-w-80 rounded-lg border border-line bg-panel px-3 py-2"
          >
            {`${state.shown}, as it was seen while scanning. Its frames are being refined and joined; you can record the next one.`}
          </p>
        )}
        {splats === 0 && phase === 'looking' && (
          <p className="absolute bottom-4 right-4 m-0 max-w-72 rounded-lg border border-line bg-panel px-3 py-2">
            Aim with the ruler below until the distance is good, then press <b>Record</b>. Drag the colour view to move
            the scanner.
          </p>
        )}
        <div className="absolute bottom-2 right-3 flex gap-4 text-muted">
          {report?.state === 'returning' && <b className="text-amber">Found again, checking …</b>}
        </div>
      </div>
      <div className="shrink-0 border-t border-line bg-panel px-4 py-1">
        <StandOffRuler range={device.range} standOff={report?.standOff} />
      </div>
      <div
        className="num flex h-8 shrink-0 items-center gap-4 overflow-hidden whitespace-nowrap border-t border-line bg-panel px-4"
        aria-label="Reading"
      >
        <span>{(report?.rate ?? 0).toFixed(1)} frames/s</span>
        {report?.state && <span>{STATE_WORDS[report.state]}</span>}
        {report?.rms !== undefined && Number.isFinite(report.rms) && <span>fit {report.rms.toFixed(2)} mm</span>}
        {report?.dotsAt && (
          <span>
            {report.dots === undefined ? '' : `${report.dots} of `}
            {report.dotsAt.length === 1 ? '1 dot' : `${report.dotsAt.length} dots`}
            {report.dots === undefined ? ' seen' : ' known'}
          </span>
        )}
        <span className="flex-1" />
        <span className="text-muted">
          {shortCountText(splats)} splats, {report?.kept ?? 0} frames kept
          {state.waiting > 0 ? `, ${state.waiting} on their way` : report?.kept ? ', all stored' : ''}
        </span>
      </div>
    </div>
  );
}

const STATE_WORDS = { first: 'begun', tracked: 'tracked', returning: 'returning', lost: 'lost' };
