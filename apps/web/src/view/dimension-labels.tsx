import { useEffect, useRef, useState } from 'react';
import { LABEL_HEIGHT, placeLabels } from './place-labels';
import type { ViewEngine } from './view-engine';

/** So many corners of one line are drawn at most: the picture is no finer. */
const MOST_CORNERS = 400;
/** Width of a label: of a letter, of its rims, and at most, pixels. */
const LETTER = 8.5;
const RIMS = 20;
const WIDEST = 240;

/** Something measured or noted, as it is drawn over the view. */
export interface LabelledLines {
  /** Says it shortly. */
  text: string;
  title: string;
  /** Where the label hangs, mm. */
  label: [number, number, number];
  /** Lines to draw, each 3k, mm. */
  lines: readonly number[][];
  /** Drawn with gaps: it rests on what no scan measured. */
  unsure: boolean;
}

/** What was measured, over the view: lines, and labels that don't cover each other. */
export function DimensionLabels({
  engine,
  rows,
  selected,
  onSelect,
  passive = false,
  name = 'Dimensions in the view',
}: {
  engine: ViewEngine;
  rows: readonly LabelledLines[];
  selected: number | null;
  onSelect(at: number | null): void;
  /** While places are picked, what lies below a label can be picked too. */
  passive?: boolean;
  /** What they are, for whoever can't see them. */
  name?: string;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [, redraw] = useState(0);
  useEffect(() => engine.whenPainted(() => redraw((n) => n + 1)), [engine]);
  const labels = rows.map(({ text, label }) => ({
    ...engine.project(label),
    width: Math.min(WIDEST, text.length * LETTER + RIMS),
  }));
  const { clientWidth: width = 800, clientHeight: height = 600 } = svg.current ?? {};
  const places = placeLabels(labels, width, height);
  return (
    <>
      <svg
        ref={svg}
        className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden"
        role="group"
        aria-label={name}
      >
        {rows.map((row, at) => (
          <g key={at} opacity={selected === null || at === selected ? 1 : 0.55}>
            {row.lines.map((line, k) => (
              <path
                key={k}
                d={pathOf(line, (p) => engine.project(p))}
                fill="none"
                stroke="var(--teal)"
                strokeWidth={at === selected ? 2.5 : 1.5}
                strokeDasharray={row.unsure ? '6 4' : undefined}
              />
            ))}
            <line
              x1={labels[at].x}
              y1={labels[at].y}
              x2={places[at].x + (places[at].x > labels[at].x ? 0 : labels[at].width)}
              y2={places[at].y + LABEL_HEIGHT / 2}
              stroke="var(--teal)"
              strokeWidth={1}
            />
            <circle cx={labels[at].x} cy={labels[at].y} r={2.5} fill="var(--teal)" />
          </g>
        ))}
      </svg>
      {rows.map((row, at) => (
        <button
          key={at}
          type="button"
          onClick={() => onSelect(at === selected ? null : at)}
          aria-pressed={at === selected}
          title={row.title}
          className={`num absolute truncate rounded-md border bg-panel px-2 text-left text-ink ${at === selected ? 'border-teal font-semibold' : 'border-line'}`}
          style={{
            left: places[at].x,
            top: places[at].y,
            width: labels[at].width,
            height: LABEL_HEIGHT,
            padding: '0 8px',
            pointerEvents: passive ? 'none' : undefined,
          }}
        >
          {row.text}
        </button>
      ))}
    </>
  );
}

/** A line in space as a path in the picture. */
function pathOf(line: readonly number[], project: (p: [number, number, number]) => { x: number; y: number }): string {
  const n = line.length / 3;
  const step = Math.max(1, Math.floor(n / MOST_CORNERS));
  let out = '';
  for (let i = 0; i < n; i = i === n - 1 ? n : Math.min(n - 1, i + step)) {
    const { x, y } = project([line[3 * i], line[3 * i + 1], line[3 * i + 2]]);
    out += `${i === 0 ? 'M' : 'L'}${x.toFixed(1)} ${y.toFixed(1)}`;
  }
  return out;
}
