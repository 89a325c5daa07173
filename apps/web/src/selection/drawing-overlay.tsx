import { useAppSelector } from '../app/store';
import type { Drawing } from './use-select-gesture';

/** What is being drawn over the view. */
export function DrawingOverlay({ drawing }: { drawing: Drawing | null }) {
  const brush = useAppSelector((s) => s.select.brush);
  if (!drawing || !['lasso', 'rectangle', 'brush'].includes(drawing.tool)) return null;
  const { path, tool } = drawing;
  const points: string[] = [];
  for (let i = 0; i + 1 < path.length; i += 2) points.push(`${path[i]},${path[i + 1]}`);
  const [x0, y0, x1 = x0, y1 = y0] = path;
  const line = { fill: 'var(--amber)', fillOpacity: 0.14, stroke: 'var(--amber)', strokeWidth: 2 };
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden data-testid="drawing">
      {tool === 'lasso' && <polygon points={points.join(' ')} {...line} strokeDasharray="6 4" />}
      {tool === 'rectangle' && (
        <rect
          x={Math.min(x0, x1)}
          y={Math.min(y0, y1)}
          width={Math.abs(x1 - x0)}
          height={Math.abs(y1 - y0)}
          {...line}
          strokeDasharray="6 4"
        />
      )}
      {tool === 'brush' && (
        <polyline
          points={points.length > 1 ? points.join(' ') : `${points[0]} ${points[0]}`}
          fill="none"
          stroke="var(--amber)"
          strokeOpacity={0.35}
          strokeWidth={2 * brush}
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      )}
    </svg>
  );
}
