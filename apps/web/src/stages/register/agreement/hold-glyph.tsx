import { scaleLog } from 'd3';
import type { Freedom } from '@amber-knit/core/registration';

const WIDTH = 62;
const HEIGHT = 16;
/** From a thousandth of a millimetre to ten. */
const scale = scaleLog([0.001, 10], [0, WIDTH / 2 - 5]).clamp(true);

/**
 * How far a scan could still go: an arrow to both sides for a slide, a bent one for a turn; the longer, the looser (each
 * quarter of the width is ten times more).
 */
export function HoldGlyph({ freedom }: { freedom: Freedom }) {
  const reach = 2 + scale(Math.max(0.001, freedom.sigma));
  const middle = WIDTH / 2;
  const [left, right] = [middle - reach, middle + reach];
  const bend = freedom.kind === 'turn' ? Math.min(9, 0.5 * reach + 2) : 0;
  const line =
    bend > 0
      ? `M${left} ${HEIGHT / 2 + bend / 3}Q${middle} ${HEIGHT / 2 - bend} ${right} ${HEIGHT / 2 + bend / 3}`
      : `M${left} ${HEIGHT / 2}L${right} ${HEIGHT / 2}`;
  const y = HEIGHT / 2 + bend / 3;
  const slope = bend > 0 ? 2.2 : 0;
  return (
    <svg width={WIDTH} height={HEIGHT} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} aria-hidden className="shrink-0">
      <path d={`M${middle} 2V${HEIGHT - 2}`} stroke="var(--line)" />
      <path d={line} fill="none" stroke="var(--ink)" strokeWidth={1.6} />
      <path
        d={`M${left + 4 - slope} ${y - 3.5}L${left - 1} ${y + slope / 2}L${left + 4} ${y + 3 - slope / 2}M${right - 4 + slope} ${y - 3.5}L${right + 1} ${y + slope / 2}L${right - 4} ${y + 3 - slope / 2}`}
        fill="none"
        stroke="var(--ink)"
        strokeWidth={1.6}
      />
    </svg>
  );
}
