import { useCallback, useState, useSyncExternalStore } from 'react';
import { Pause, Play, SkipForward, X } from 'lucide-react';
import { Button, Notice, ProgressBar } from '../../../shared/controls';
import { FilmStrip } from './film-strip';
import { FRAME_MEASURES, knownMeasures, worstFirst } from './frame-measures';
import { framesClient } from './frames-client';
import { QualityCurve } from './quality-curve';

/** The frames of a scan below the view: what they are worth as a curve, and their pictures as a strip. */
export function FramesView() {
  const { frames, dropped, at, range, playing, judging } = useSyncExternalStore(
    framesClient.subscribe,
    framesClient.current,
  );
  const [key, setKey] = useState<string>('residual');
  const [jumped, setJumped] = useState(0);
  const look = useCallback((i: number) => framesClient.look(i), []);
  const select = useCallback((r: readonly [number, number] | null) => framesClient.select(r), []);
  const measures = judging === null ? knownMeasures(frames.map((f) => f.quality)) : FRAME_MEASURES;
  const measure = measures.find((m) => m.key === key) ?? FRAME_MEASURES[0];
  const inRange = range ? frames.map((_, i) => i).filter((i) => i >= range[0] && i <= range[1]) : [];
  const quality = frames[at]?.quality;
  const value = quality ? quality[measure.key] : NaN;
  const nextWorst = (): void => {
    const order = worstFirst(
      frames.map((f) => f.quality),
      measure,
    );
    framesClient.look(order[jumped % Math.max(1, order.length)]);
    setJumped(jumped + 1);
  };
  return (
    <section aria-label="Frames of the scan" className="shrink-0 border-t border-line bg-panel px-4 py-2">
      <div className="mb-1 flex flex-wrap items-center gap-2">
        <Button onClick={() => (playing ? framesClient.pause() : framesClient.play())} disabled={frames.length === 0}>
          {playing ? <Pause size={15} /> : <Play size={15} />} {playing ? 'Pause' : 'Play'}
        </Button>
        <select
          aria-label="Measure of the frames"
          value={measure.key}
          onChange={(e) => {
            setKey(e.target.value);
            setJumped(0);
          }}
          className="rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        >
          {measures.map((m) => (
            <option key={m.key} value={m.key}>
              {m.title}
            </option>
          ))}
        </select>
        <Button onClick={nextWorst} disabled={judging !== null}>
          <SkipForward size={15} /> Next worst
        </Button>
        <span className="num min-w-0 flex-1 truncate text-muted">
          {frames[at] && `frame ${at + 1} of ${frames.length}`}
          {Number.isFinite(value) && `: ${measure.text(value)}`}
        </span>
        {range && (
          <>
            <span className="num">
              {range[0] + 1}–{range[1] + 1}
            </span>
            <Button onClick={() => framesClient.drop(inRange, true)}>Leave range out</Button>
            <Button onClick={() => framesClient.drop(inRange, false)}>Take range in</Button>
          </>
        )}
        <Button tone="quiet" aria-label="Close the frames" onClick={() => framesClient.close()} className="px-2">
          <X size={16} />
        </Button>
      </div>
      {judging !== null && <ProgressBar value={judging} label="Measuring the frames" />}
      {frames.length === 0 && judging === null && <Notice>There are no frames to look at.</Notice>}
      {frames.length > 0 && (
        <>
          <QualityCurve
            frames={frames}
            dropped={dropped}
            measure={measure}
            at={at}
            range={range}
            onLook={look}
            onRange={select}
          />
          <FilmStrip frames={frames} dropped={dropped} at={at} />
        </>
      )}
    </section>
  );
}
