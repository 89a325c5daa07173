import { useEffect, useMemo, useRef, useState } from 'react';
import { axisLeft, brushX, scaleLinear, select } from 'd3';
import type { FrameMeasure } from './frame-measures';
import { axisTop } from './frame-measures';
import type { FrameInfo } from './frames-messages';

const HEIGHT = 108;
const LEFT = 74;
const PAD = 6;

/** One measure over all frames: a range can be brushed, a click goes to a frame. */
export function QualityCurve({
  frames,
  dropped,
  measure,
  at,
  range,
  onLook,
  onRange,
}: {
  frames: readonly FrameInfo[];
  dropped: ReadonlySet<string>;
  measure: FrameMeasure;
  at: number;
  range: readonly [number, number] | null;
  onLook: (frame: number) => void;
  onRange: (range: readonly [number, number] | null) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const axis = useRef<SVGGElement>(null);
  const brush = useRef<SVGGElement>(null);
  const [width, setWidth] = useState(600);
  useEffect(() => {
    const observer = new ResizeObserver(([e]) => setWidth(Math.max(200, e.contentRect.width)));
    observer.observe(box.current!);
    return () => observer.disconnect();
  }, []);
  const values = frames.map((f) => f.quality?.[measure.key] ?? NaN);
  const top = axisTop(values);
  const x = useMemo(() => scaleLinear([-0.5, frames.length - 0.5], [LEFT, width - PAD]), [frames.length, width]);
  const y = scaleLinear([0, top], [HEIGHT - PAD, PAD])
    .clamp(true)
    .nice(3);
  const step = (width - PAD - LEFT) / Math.max(1, frames.length);

  useEffect(() => {
    select(axis.current!).call(
      axisLeft(y)
        .ticks(3)
        .tickFormat((v) => measure.text(Number(v))),
    );
  });
  useEffect(() => {
    const b = brushX<unknown>()
      .extent([
        [LEFT, PAD],
        [width - PAD, HEIGHT - PAD],
      ])
      .on('end', (e: { selection: [number, number] | null; sourceEvent: MouseEvent | null }) => {
        if (!e.sourceEvent) return;
        const frameAt = (px: number): number => Math.max(0, Math.min(frames.length - 1, Math.round(x.invert(px))));
        if (!e.selection) {
          onRange(null);
          onLook(frameAt(e.sourceEvent.clientX - box.current!.getBoundingClientRect().left));
        } else onRange([frameAt(e.selection[0]), frameAt(e.selection[1])]);
      });
    const group = select(brush.current!);
    group.call(b);
    // Shows a range that was typed, or none.
    group.call((g) => b.move(g, range ? [x(range[0] - 0.5), x(range[1] + 0.5)] : null));
    return () => void b.on('end', null);
  }, [x, frames.length, width, range, onLook, onRange]);

  const mark = (i: number) => {
    const f = frames[i];
    const v = values[i];
    const px = x(i);
    const gone = dropped.has(f.name);
    const odd = f.faults.length > 0;
    const py = Number.isFinite(v) ? y(v) : HEIGHT - PAD;
    return (
      <g key={f.name}>
        <rect
          x={px - Math.max(0.5, 0.38 * step)}
          width={Math.max(1, 0.76 * step)}
          y={py}
          height={Math.max(1, HEIGHT - PAD - py)}
          fill={odd ? 'var(--brick)' : 'var(--teal)'}
          opacity={gone ? 0.25 : 0.85}
        />
        {gone && (
          <path d={`M${px - 3},${HEIGHT - PAD - 9}l6,6m0,-6l-6,6`} stroke="var(--ink)" strokeWidth={1.3} fill="none" />
        )}
        {odd && !gone && <path d={`M${px},${Math.max(1, py - 8)}l4,7h-8z`} fill="var(--brick)" />}
      </g>
    );
  };
  return (
    <div ref={box} className="min-w-0">
      <svg width={width} height={HEIGHT} role="img" aria-label={`${measure.title} of ${frames.length} frames`}>
        {frames.map((_, i) => mark(i))}
        <line x1={x(at)} x2={x(at)} y1={0} y2={HEIGHT} stroke="var(--amber)" strokeWidth={2} />
        <g ref={axis} transform={`translate(${LEFT},0)`} className="num text-muted" fontSize={11} />
        <g ref={brush} />
      </svg>
    </div>
  );
}
