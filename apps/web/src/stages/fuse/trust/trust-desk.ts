import type { TrustRegion } from '@amber-knit/core/fusion';
import { Store } from '../../../shared/store';

export interface TrustState {
  /** The place that is being marked; null while none is. */
  draft: TrustRegion | null;
  /** Radius of the next ball, mm. */
  radius: number;
  /** Place in the list that is looked at. */
  selected: number | null;
}

const NOTHING: TrustState = { draft: null, radius: 10, selected: null };

/** Holds the place that is being marked in the view: each click adds a ball to it. */
class TrustDesk extends Store<TrustState> {
  /** Begins a place. @param size longest extent of the piece, mm: the first ball is a fifteenth of it. */
  begin(name: string, size: number): void {
    const radius = Number(Math.max(0.5, size / 15).toPrecision(1));
    this.put({ draft: { name, how: 'only', scans: [], balls: [], width: radius / 2 }, radius, selected: null });
  }

  change(change: Partial<TrustRegion>): void {
    const { draft } = this.state;
    if (draft) this.put({ ...this.state, draft: { ...draft, ...change } });
  }

  setRadius(radius: number): void {
    this.put({ ...this.state, radius });
  }

  /** A click on the piece. */
  addBall(at: readonly [number, number, number]): void {
    const { draft, radius } = this.state;
    if (draft) this.change({ balls: [...draft.balls, [...at, radius]] });
  }

  toggleScan(name: string): void {
    const { draft } = this.state;
    if (!draft) return;
    this.change({
      scans: draft.scans.includes(name) ? draft.scans.filter((s) => s !== name) : [...draft.scans, name],
    });
  }

  /** Takes back the newest ball. @returns false if there is none */
  back(): boolean {
    const { draft } = this.state;
    if (!draft || draft.balls.length === 0) return false;
    this.change({ balls: draft.balls.slice(0, -1) });
    return true;
  }

  select(selected: number | null): void {
    this.put({ ...this.state, selected });
  }

  end(): void {
    this.put(NOTHING);
  }
}

export const trustDesk = new TrustDesk(NOTHING);

/** Points of one circle of an outline. */
const CIRCLE = 72;

/** Outlines of balls: three circles each, as points, 3n. */
export function ballOutlines(balls: readonly (readonly [number, number, number, number])[]): Float32Array {
  const out = new Float32Array(9 * CIRCLE * balls.length);
  let at = 0;
  for (const [x, y, z, r] of balls)
    for (let axis = 0; axis < 3; axis++)
      for (let k = 0; k < CIRCLE; k++) {
        const p = [x, y, z];
        const a = (2 * Math.PI * k) / CIRCLE;
        p[(axis + 1) % 3] += r * Math.cos(a);
        p[(axis + 2) % 3] += r * Math.sin(a);
        out.set(p, at);
        at += 3;
      }
  return out;
}
