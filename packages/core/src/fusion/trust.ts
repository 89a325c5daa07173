import { GeometryError } from '../runtime/geometry-error.js';
import { chosenPoints, type MeasuredPoints } from './measured-points.js';

/** What a person says of some scans at a place: nothing but them, them rather than others, or not them. */
export const TRUST_MANNERS = ['only', 'rather', 'not'] as const;
export type TrustManner = (typeof TRUST_MANNERS)[number];

/** Places on a piece where some scans count more, or less, than others. */
export interface TrustRegion {
  name: string;
  how: TrustManner;
  /** Names of the scans that are meant. */
  scans: string[];
  /** Balls in the piece's frame that together are the place: middle and radius, mm. */
  balls: [number, number, number, number][];
  /** Over this width around the balls it runs out, mm. */
  width: number;
}

/** All that was said of a piece; where regions overlap, each has its say. */
export interface TrustSheet {
  regions: TrustRegion[];
}

/** What the others still count where some scans are to be believed rather than them. */
const RATHER = 0.05;
/** A point that counts less than this is left out. */
const NOTHING = 0.01;

/**
 * Weighs points by what was said of their scans at their place; those that count nothing are left out. What a region says
 * runs out evenly around it, so that no step is seen.
 * O(points · balls).
 * @throws GeometryError `empty-input` if nothing counts anywhere
 */
export function applyTrust(points: MeasuredPoints, regions: readonly TrustRegion[]): MeasuredPoints {
  if (regions.length === 0) return points;
  const { positions: p, scan, count } = points;
  const meant = regions.map((r) => points.scans.map((name) => (r.scans.includes(name) === (r.how === 'not') ? 1 : 0)));
  const trust = new Float32Array(count).fill(1);
  for (let i = 0; i < count; i++)
    for (let k = 0; k < regions.length; k++) {
      if (!meant[k][scan[i]]) continue;
      const inside = insideRegion(regions[k], p[3 * i], p[3 * i + 1], p[3 * i + 2]);
      if (inside > 0) trust[i] *= 1 - inside * (1 - (regions[k].how === 'rather' ? RATHER : 0));
    }
  const kept: number[] = [];
  for (let i = 0; i < count; i++) if (trust[i] >= NOTHING) kept.push(i);
  if (kept.length === 0)
    throw new GeometryError(
      'empty-input',
      'No scan counts anywhere by what was said of them. Take out a place, or let more scans count there.',
    );
  return chosenPoints({ ...points, trust }, kept);
}

/** How much a place belongs to a region: 1 within a ball, 0 from `width` outside on, smooth between. */
export function insideRegion({ balls, width }: TrustRegion, x: number, y: number, z: number): number {
  let most = 0;
  for (const [bx, by, bz, radius] of balls) {
    const dx = x - bx;
    const dy = y - by;
    const dz = z - bz;
    const d2 = dx * dx + dy * dy + dz * dz;
    if (d2 >= (radius + width) * (radius + width)) continue;
    if (d2 <= radius * radius) return 1;
    const t = 1 - (Math.sqrt(d2) - radius) / width;
    most = Math.max(most, t * t * (3 - 2 * t));
  }
  return most;
}
