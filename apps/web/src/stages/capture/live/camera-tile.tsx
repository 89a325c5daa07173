import { useEffect, useRef, type ReactNode } from 'react';
import { captureClient } from './capture-client';
import type { TilePicture } from './capture-messages';

const QUIET = { cleared() {}, patches() {}, support() {} };

/** One live picture of the device. */
export function CameraTile({
  kind,
  label,
  help,
  children,
  ...handlers
}: {
  kind: 'color' | 'sensor';
  label: string;
  /** What can be done on the picture. */
  help?: string;
  children?: ReactNode;
} & Pick<
  React.HTMLAttributes<HTMLCanvasElement>,
  'onPointerDown' | 'onPointerMove' | 'onPointerUp' | 'onPointerCancel' | 'onKeyDown' | 'onWheel' | 'tabIndex'
>) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(
    () =>
      captureClient.addViewer({
        ...QUIET,
        frame(_report, color, sensor) {
          const picture: TilePicture | undefined = kind === 'color' ? color : sensor;
          const c = canvas.current;
          if (!picture || !c) return;
          if (c.width !== picture.width) [c.width, c.height] = [picture.width, picture.height];
          c.getContext('2d')!.putImageData(new ImageData(picture.data, picture.width, picture.height), 0, 0);
        },
      }),
    [kind],
  );
  return (
    <figure className="relative m-0 w-60 overflow-hidden rounded-lg border border-line bg-[#1d1a16]">
      <canvas
        ref={canvas}
        width={320}
        height={240}
        aria-label={help ? `${label}. ${help}` : label}
        title={help}
        {...handlers}
        className="block w-full touch-none"
      />
      {children}
      <figcaption className="absolute left-1.5 top-1.5 rounded bg-black/55 px-1.5 text-white">{label}</figcaption>
    </figure>
  );
}

/** Rings round the marker dots found in the picture; places as shares of its width and height. */
export function DotMarks({ places }: { places: readonly (readonly [number, number])[] }) {
  return (
    <svg
      viewBox="0 0 320 240"
      className="pointer-events-none absolute inset-0 h-full w-full"
      role="img"
      aria-label={places.length === 1 ? '1 marker dot found' : `${places.length} marker dots found`}
    >
      {places.map(([x, y], i) => (
        <g key={i} fill="none">
          <circle cx={320 * x} cy={240 * y} r={7} stroke="#000" strokeWidth={3.5} />
          <circle cx={320 * x} cy={240 * y} r={7} stroke="#ffb454" strokeWidth={2} />
        </g>
      ))}
    </svg>
  );
}

/** The middle of the picture and the zone in which the object should stay. */
export function FramingAid() {
  return (
    <svg viewBox="0 0 320 240" className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
      <rect
        x={48}
        y={36}
        width={224}
        height={168}
        fill="none"
        stroke="#fff"
        strokeOpacity={0.7}
        strokeDasharray="6 5"
      />
      <path d="M160,110v20M150,120h20" stroke="#fff" strokeOpacity={0.9} />
    </svg>
  );
}
