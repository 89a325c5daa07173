/** States of scans and stages: the shape says it, the colour only repeats it. */
export type GlyphState = 'loose' | 'placed' | 'registered' | 'excluded' | 'outdated' | 'empty' | 'done' | 'running';

const WORDS: Record<GlyphState, string> = {
  loose: 'loose',
  placed: 'placed',
  registered: 'registered',
  excluded: 'excluded',
  outdated: 'out of date',
  empty: 'not yet',
  done: 'done',
  running: 'running',
};

export const stateWord = (s: GlyphState): string => WORDS[s];

/** The glyph's shapes around the origin, for use inside any drawing. */
export function GlyphShape({ state, radius, color }: { state: GlyphState; radius: number; color: string }) {
  const ring = (
    <circle
      r={radius}
      fill="var(--panel)"
      stroke={color}
      strokeWidth={2}
      strokeDasharray={state === 'outdated' ? '3 3' : undefined}
    />
  );
  if (state === 'registered' || state === 'done')
    return <circle r={radius} fill={color} stroke={color} strokeWidth={2} />;
  const k = radius * 0.7;
  return (
    <g>
      {ring}
      {state === 'placed' && <path d={`M0 ${-radius}a${radius} ${radius} 0 0 1 0 ${2 * radius}z`} fill={color} />}
      {state === 'excluded' && <path d={`M${-k} ${k}L${k} ${-k}`} stroke={color} strokeWidth={2} />}
      {state === 'running' && <circle r={radius * 0.45} fill={color} className="animate-pulse" />}
    </g>
  );
}

export function StateGlyph({
  state,
  color = 'var(--muted)',
  size = 16,
}: {
  state: GlyphState;
  color?: string;
  size?: number;
}) {
  const h = size / 2 + 1;
  return (
    <svg
      width={size + 2}
      height={size + 2}
      viewBox={`${-h} ${-h} ${2 * h} ${2 * h}`}
      role="img"
      aria-label={WORDS[state]}
      className="shrink-0"
    >
      <GlyphShape state={state} radius={size / 2 - 2} color={color} />
    </svg>
  );
}
