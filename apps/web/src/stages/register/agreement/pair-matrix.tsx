import { interpolateCividis, max, scaleBand, scaleLinear, scaleSqrt } from 'd3';
import { useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { StateGlyph } from '../../../shared/state-glyph';
import { strandColor } from '../../../shared/strand-colors';
import { hasPlace } from '../../../view/piece-content';
import { pairsOf, type PairFit } from './hold-words';

const WIDTH = 290;
const EDGE = 18;

/**
 * All pairs of scans: the area of a square is their overlap, its colour how far apart they lie where they overlap. What is
 * pointed at or focused is said in words below.
 */
export function PairMatrix({ piece, onPick }: { piece: PieceView; onPick: (scans: [string, string]) => void }) {
  const [at, setAt] = useState<PairFit | null>(null);
  const scans = piece.scanList.filter(hasPlace);
  const pairs = pairsOf(piece);
  const band = scaleBand(
    scans.map((s) => s.name),
    [EDGE, WIDTH],
  ).padding(0.06);
  const size = Math.min(band.step(), 26);
  const place = (name: string): number => EDGE + size * scans.findIndex((s) => s.name === name);
  const side = scaleSqrt([0, 1], [0, size - 2]);
  const worst = max(pairs, (p) => p.rms) ?? 1;
  const shade = scaleLinear([0, worst], [0, 1]);
  const extent = EDGE + size * scans.length;
  return (
    <div>
      <svg
        viewBox={`0 0 ${WIDTH} ${extent}`}
        role="group"
        aria-label={`${pairs.length} overlapping pairs of ${scans.length} scans`}
        className="block"
        onPointerLeave={() => setAt(null)}
      >
        {scans.map((s) => (
          <g key={s.name}>
            <circle cx={place(s.name) + size / 2} cy={8} r={4} fill={strandColor(s.colorIndex)}>
              <title>{s.name}</title>
            </circle>
            <circle cx={8} cy={place(s.name) + size / 2} r={4} fill={strandColor(s.colorIndex)}>
              <title>{s.name}</title>
            </circle>
            <rect
              x={place(s.name) + 1}
              y={place(s.name) + 1}
              width={size - 2}
              height={size - 2}
              fill="none"
              stroke="var(--line)"
            />
          </g>
        ))}
        {pairs.flatMap((p) =>
          [
            [p.a, p.b],
            [p.b, p.a],
          ].map(([column, row], mirrored) => {
            const w = Math.max(3, side(p.overlapRatio));
            const marked = at !== null && at.a === p.a && at.b === p.b;
            return (
              <rect
                key={`${column}|${row}`}
                x={place(column) + (size - w) / 2}
                y={place(row) + (size - w) / 2}
                width={w}
                height={w}
                fill={interpolateCividis(shade(p.rms))}
                stroke={marked ? 'var(--ink)' : 'var(--muted)'}
                strokeWidth={marked ? 2 : 0.4}
                className="cursor-pointer"
                onPointerEnter={() => setAt(p)}
                onClick={() => onPick([p.a, p.b])}
                {...(mirrored === 0 && {
                  role: 'button',
                  tabIndex: 0,
                  'aria-label': pairWords(p),
                  onFocus: () => setAt(p),
                  onKeyDown: (e: React.KeyboardEvent) => {
                    if (e.key !== 'Enter' && e.key !== ' ') return;
                    e.preventDefault();
                    onPick([p.a, p.b]);
                  },
                })}
              />
            );
          }),
        )}
      </svg>
      <p className="m-0 mt-1 min-h-10 text-muted" aria-live="polite">
        {at ? (
          pairWords(at)
        ) : (
          <>
            A square for each pair that overlaps: the larger, the more; dark 0, bright{' '}
            <span className="num">{lengthText(worst)}</span> apart. Click one to see the two alone.
          </>
        )}
      </p>
      {scans.some((s) => s.placement.state === 'placed') && (
        <p className="m-0 flex items-center gap-1 text-muted">
          <StateGlyph state="placed" size={12} /> placed scans take part.
        </p>
      )}
    </div>
  );
}

const pairWords = (p: PairFit): string =>
  `${p.a} and ${p.b}: ${Math.round(100 * p.overlapRatio)} % overlap, ${lengthText(p.rms)} apart (RMS).`;
