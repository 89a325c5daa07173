import { useEffect, useRef, useState } from 'react';
import { useStore } from '../../../shared/store';
import { useViewInput, type OverlayProps } from '../../../view/view-overlay';
import { dimensionsDesk, type DimensionRow } from './dimensions-desk';
import { headlineText, wordsOf } from './dimension-words';
import { LABEL_HEIGHT, placeLabels } from './place-labels';
import { useSheet } from './use-sheet';

/** So many corners of one line are drawn at most: the picture is no finer. */
const MOST_CORNERS = 400;
/** Width of a label: of a letter, and of its rims, pixels. */
const LETTER = 8.5;
const RIMS = 20;
/** A click moves the pointer less than this, pixels. */
const STILL = 4;

/** Dimensions in the view: their lines and labels, and the places that are being picked. */
export function DimensionsOverlay({ piece, engine, inputs }: OverlayProps) {
  const { sheet, rows } = useSheet(piece);
  const { tool, selected } = useStore(dimensionsDesk);
  const meshId = piece.mesh?.id;
  const pressed = useRef<[number, number]>([0, 0]);
  const svg = useRef<SVGSVGElement>(null);
  const [, redraw] = useState(0);
  useEffect(() => engine.whenPainted(() => redraw((n) => n + 1)), [engine]);
  useEffect(() => {
    engine.mark(tool.places);
    return () => engine.mark([]);
  }, [engine, tool.places]);
  useViewInput(inputs, {
    onPointerDown: (e) => void (pressed.current = [e.clientX, e.clientY]),
    onPointerUp: (e) => {
      const still = Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) < STILL;
      const found = still && tool.kind && meshId ? engine.pick(e.clientX, e.clientY) : undefined;
      if (found) dimensionsDesk.pick(found.point, meshId!, sheet?.asked ?? []);
    },
    cancel: () => dimensionsDesk.cancel(),
  });
  const drawn = rows.filter((r): r is Required<DimensionRow> => r.found !== undefined && !r.found.fault);
  const labels = drawn.map((row) => {
    const { found } = row;
    // Numbered as in the list; how sure it is stands there.
    const text = `${rows.indexOf(row) + 1}: ${headlineText(found)}`;
    return { text, ...engine.project(found.label), width: text.length * LETTER + RIMS };
  });
  const { clientWidth: width = 800, clientHeight: height = 600 } = svg.current ?? {};
  const places = placeLabels(labels, width, height);
  return (
    <>
      <svg
        ref={svg}
        className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden"
        role="group"
        aria-label="Dimensions in the view"
      >
        {drawn.map((row, i) => {
          const at = rows.indexOf(row);
          const on = at === selected;
          return (
            <g key={at} opacity={selected === null || on ? 1 : 0.55}>
              {row.found.lines.map((line, k) => (
                <path
                  key={k}
                  d={pathOf(line, (p) => engine.project(p))}
                  fill="none"
                  stroke="var(--teal)"
                  strokeWidth={on ? 2.5 : 1.5}
                  strokeDasharray={row.found.inventedRatio > 0 ? '6 4' : undefined}
                />
              ))}
              <line
                x1={labels[i].x}
                y1={labels[i].y}
                x2={places[i].x + (places[i].x > labels[i].x ? 0 : labels[i].width)}
                y2={places[i].y + LABEL_HEIGHT / 2}
                stroke="var(--teal)"
                strokeWidth={1}
              />
              <circle cx={labels[i].x} cy={labels[i].y} r={2.5} fill="var(--teal)" />
            </g>
          );
        })}
      </svg>
      {drawn.map((row, i) => {
        const at = rows.indexOf(row);
        return (
          <button
            key={at}
            type="button"
            onClick={() => dimensionsDesk.select(at === selected ? null : at)}
            aria-pressed={at === selected}
            title={row.asked.name}
            className={`num absolute truncate rounded-md border bg-panel px-2 text-left text-ink ${at === selected ? 'border-teal font-semibold' : 'border-line'}`}
            style={{
              left: places[i].x,
              top: places[i].y,
              width: labels[i].width,
              height: LABEL_HEIGHT,
              padding: '0 8px',
              // While places are picked, what lies below a label can be picked too.
              pointerEvents: tool.kind ? 'none' : undefined,
            }}
          >
            {labels[i].text}
          </button>
        );
      })}
      {tool.kind && (
        <div role="status" className="absolute bottom-3 left-3 rounded-lg border border-line bg-panel px-3 py-2">
          <b>{wordsOf(tool.kind).title}.</b> {wordsOf(tool.kind).hints[tool.places.length]}{' '}
          <span className="text-muted">Escape ends it.</span>
        </div>
      )}
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
