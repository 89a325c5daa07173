import { useEffect, useRef, useState } from 'react';
import { framesClient } from './frames-client';
import type { FrameInfo } from './frames-messages';

const WIDTH = 88;
const HEIGHT = 66;
const GAP = 4;

/** The frames as small pictures, in order; only those in sight are made. */
export function FilmStrip({
  frames,
  dropped,
  at,
}: {
  frames: readonly FrameInfo[];
  dropped: ReadonlySet<string>;
  at: number;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [sight, setSight] = useState<[number, number]>([0, 16]);
  const look = (): void => {
    const { scrollLeft, clientWidth } = box.current!;
    const first = Math.max(0, Math.floor(scrollLeft / (WIDTH + GAP)) - 2);
    setSight([first, first + Math.ceil(clientWidth / (WIDTH + GAP)) + 4]);
  };
  useEffect(look, [frames.length]);
  useEffect(() => {
    const b = box.current!;
    const left = at * (WIDTH + GAP);
    if (left < b.scrollLeft || left + WIDTH > b.scrollLeft + b.clientWidth)
      b.scrollLeft = left - b.clientWidth / 2 + WIDTH / 2;
  }, [at]);
  return (
    <div
      ref={box}
      onScroll={look}
      role="listbox"
      aria-label="Frames"
      tabIndex={0}
      aria-activedescendant={`frame-${at}`}
      onKeyDown={(e) => {
        const steps: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, PageUp: -10, PageDown: 10 };
        const to = e.key === 'Home' ? 0 : e.key === 'End' ? frames.length - 1 : at + (steps[e.key] ?? 0);
        if (e.key === 'Delete' || e.key === ' ') framesClient.drop([at], !dropped.has(frames[at].name));
        else if (to !== at) framesClient.look(to);
        else return;
        e.preventDefault();
      }}
      className="relative h-22 overflow-x-auto overflow-y-hidden"
    >
      <div style={{ width: frames.length * (WIDTH + GAP), height: HEIGHT }} className="relative">
        {frames.slice(sight[0], sight[1]).map((f, k) => {
          const i = sight[0] + k;
          return (
            <Picture
              key={f.name}
              frame={f}
              index={i}
              gone={dropped.has(f.name)}
              on={i === at}
              left={i * (WIDTH + GAP)}
            />
          );
        })}
      </div>
    </div>
  );
}

function Picture({
  frame,
  index,
  gone,
  on,
  left,
}: {
  frame: FrameInfo;
  index: number;
  gone: boolean;
  on: boolean;
  left: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const draw = (): void => {
      const bitmap = framesClient.picture(index);
      const c = canvas.current;
      if (!bitmap || !c) return;
      c.width = bitmap.width;
      c.height = bitmap.height;
      c.getContext('2d')!.drawImage(bitmap, 0, 0);
    };
    draw();
    return framesClient.whenPictured((i) => i === index && draw());
  }, [index]);
  const odd = frame.faults.length > 0;
  return (
    <div
      id={`frame-${index}`}
      role="option"
      aria-selected={on}
      aria-label={`Frame ${index + 1}${gone ? ', left out' : ''}${odd ? `, ${frame.faults.join(', ')}` : ''}`}
      onClick={() => framesClient.look(index)}
      onDoubleClick={() => framesClient.drop([index], !gone)}
      title="Click looks at it, double click leaves it out or takes it in"
      style={{ left, width: WIDTH, height: HEIGHT }}
      className={`absolute top-1 cursor-pointer overflow-hidden rounded-md border-2 bg-sunk ${on ? 'border-amber' : odd ? 'border-brick' : 'border-line'}`}
    >
      <canvas ref={canvas} className={`block h-full w-full object-cover ${gone ? 'opacity-30 grayscale' : ''}`} />
      <span className="num absolute left-0.5 top-0 rounded-sm bg-panel/85 px-1 text-xs">{index + 1}</span>
      {gone && <span className="absolute bottom-0 right-0.5 rounded-sm bg-panel/85 px-1 text-xs">✕ out</span>}
      {odd && !gone && <span className="absolute bottom-0 right-0.5 rounded-sm bg-panel/85 px-1 text-xs">▲</span>}
    </div>
  );
}
