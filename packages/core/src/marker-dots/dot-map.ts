import { transformPoint, type Mat4 } from '../math/mat4.js';
import { RigidFit } from '../math/rigid-fit.js';

/** Dots seen in a frame and where the map has them; 3 numbers a dot, mm. */
export interface DotPairs {
  /** In the sensor's frame. */
  seen: Float32Array;
  /** In the map's frame. */
  known: Float32Array;
  /** The pose that brings the seen dots onto the known ones. */
  mapFromSensor: Mat4;
  /** Root mean square of what is then left between them, mm. */
  rms: number;
}

/** Distances between two dots agree if they differ by no more, mm. */
const AGREE = 0.5;
/** A seen dot this near to a known one is that one, mm. */
const SAME = 1.5;
/** Dots closer than this to a known one, and not the same, are not learned: they could be mistaken for it. */
const APART = 6;
/**
 * A pose without a guess needs so many dots, and so large a share of those seen: among two dozen dots, four of another
 * thing fit somewhere by chance. They lie as near to the known ones, mm.
 */
const LEAST_RECOGNISED = 5;
const RECOGNISED_SHARE = 0.3;
const RECOGNISED_NEAR = 0.7;
/** Pairs of known dots further apart than this are not looked up: a sensor seldom sees both. */
const REACH = 160;

/**
 * The marker dots found so far, in the frame of the model that is being scanned. Dots are learned from frames whose
 * pose is known and recognised by the distances between them, which no movement changes.
 *
 * Source of recognising by mutual distances: W. E. L. Grimson, T. Lozano-Pérez (1984), Model-based recognition and
 * localization from sparse range or tactile data.
 */
export class DotMap {
  private readonly places: number[] = [];
  private readonly times: number[] = [];
  /** Made when first asked for after a change. */
  private table?: DistanceTable;

  get count(): number {
    return this.times.length;
  }

  /** Learns the dots of a frame. O(seen · known). */
  learn(seen: ArrayLike<number>, mapFromSensor: Mat4): void {
    const { places, times } = this;
    for (let i = 0; i + 2 < seen.length; i += 3) {
      const p = transformPoint(mapFromSensor, seen[i], seen[i + 1], seen[i + 2]);
      const { dot, distance } = this.nearest(p[0], p[1], p[2]);
      if (distance < SAME) {
        const w = 1 / Math.min(30, ++times[dot]);
        for (let k = 0; k < 3; k++) places[3 * dot + k] += w * (p[k] - places[3 * dot + k]);
      } else if (distance > APART) {
        places.push(p[0], p[1], p[2]);
        times.push(1);
      } else continue;
      this.table = undefined;
    }
  }

  /**
   * Which dot is which, if the pose is about known: the nearest within a reach, as far as their mutual distances bear it
   * out. Undefined with fewer than three. O(seen · known + seen²).
   */
  follow(seen: Float32Array, guess: Mat4, reach: number): DotPairs | undefined {
    const of: number[] = [];
    const is: number[] = [];
    for (let i = 0; i < seen.length / 3; i++) {
      const p = transformPoint(guess, seen[3 * i], seen[3 * i + 1], seen[3 * i + 2]);
      const { dot, distance } = this.nearest(p[0], p[1], p[2]);
      if (distance > reach) continue;
      of.push(i);
      is.push(dot);
    }
    // The dot that most others agree with begins; those that agree with it are taken.
    let best: number[] = [];
    for (let i = 0; i < of.length; i++) {
      const agreeing = [i];
      for (let j = 0; j < of.length; j++)
        if (j !== i && is[j] !== is[i] && this.agree(seen, of[i], of[j], is[i], is[j])) agreeing.push(j);
      if (agreeing.length > best.length) best = agreeing;
    }
    return this.fitted(
      seen,
      best.map((k) => of[k]),
      best.map((k) => is[k]),
    );
  }

  /**
   * Where the sensor is, from the dots alone. Undefined unless at least five are recognised and no other place explains
   * nearly as many. O(pairs seen · pairs of that distance · seen).
   */
  recognise(seen: Float32Array): DotPairs | undefined {
    const n = seen.length / 3;
    if (n < LEAST_RECOGNISED || this.count < LEAST_RECOGNISED) return undefined;
    const table = (this.table ??= distanceTable(this.places));
    const { pairs } = table;
    const own = distanceMatrix(seen);
    let best: DotPairs | undefined;
    let second = 0;
    for (let a = 0; a < n; a++) {
      for (let b = a + 1; b < n; b++) {
        const d = own[a * n + b];
        for (let k = lowerBound(pairs, d - AGREE); k < pairs.length && pairs[k].distance <= d + AGREE; k++) {
          for (let turned = 0; turned < 2; turned++) {
            const [p, q] = turned ? [pairs[k].b, pairs[k].a] : [pairs[k].a, pairs[k].b];
            const found = this.third(seen, own, table.all, a, b, p, q);
            if (!found) continue;
            if (!best || found.seen.length > best.seen.length) {
              if (best && !samePlace(best, found)) second = Math.max(second, best.seen.length / 3);
              best = found;
            } else if (!samePlace(best, found)) second = Math.max(second, found.seen.length / 3);
          }
        }
        // Nearly everything explained: no other place can explain as much.
        if (best && best.seen.length / 3 >= Math.max(6, 0.8 * n)) return best;
      }
    }
    if (!best || best.seen.length / 3 < Math.max(RECOGNISED_SHARE * n, second + 2)) return undefined;
    return best;
  }

  /** Completes two dots that may be p and q by a third, and tells how many dots the pose then explains. */
  private third(
    seen: Float32Array,
    own: Float32Array,
    all: Float32Array,
    a: number,
    b: number,
    p: number,
    q: number,
  ): DotPairs | undefined {
    const n = seen.length / 3;
    const m = this.count;
    for (let c = 0; c < n; c++) {
      if (c === a || c === b) continue;
      const ac = own[a * n + c];
      const bc = own[b * n + c];
      for (let r = 0; r < m; r++) {
        const off = all[p * m + r] - ac;
        if (off > AGREE || off < -AGREE || r === p || r === q || Math.abs(all[q * m + r] - bc) > AGREE) continue;
        const start = this.fitted(seen, [a, b, c], [p, q, r]);
        // Three dots also fit their mirror image, badly.
        if (!start || start.rms > AGREE) continue;
        const found = this.follow(seen, start.mapFromSensor, RECOGNISED_NEAR);
        if (found && found.seen.length >= 3 * LEAST_RECOGNISED) return found;
      }
    }
    return undefined;
  }

  private fitted(seen: Float32Array, of: number[], is: number[]): DotPairs | undefined {
    if (of.length < 3 || !this.spreadOut(is)) return undefined;
    const { places } = this;
    const fit = new RigidFit();
    const pairs = { seen: new Float32Array(3 * of.length), known: new Float32Array(3 * of.length) };
    of.forEach((i, k) => {
      const j = is[k];
      for (let c = 0; c < 3; c++) {
        pairs.seen[3 * k + c] = seen[3 * i + c];
        pairs.known[3 * k + c] = places[3 * j + c];
      }
      fit.add(seen[3 * i], seen[3 * i + 1], seen[3 * i + 2], places[3 * j], places[3 * j + 1], places[3 * j + 2]);
    });
    const mapFromSensor = fit.solve();
    return { ...pairs, mapFromSensor, rms: gapBetween(pairs, mapFromSensor) };
  }

  /** Do these dots hold all turns: they do not lie on a line, nor all close together. */
  private spreadOut(dots: number[]): boolean {
    const { places } = this;
    const [a, b] = farthestOf(places, dots);
    const l = between(places, a, places, b);
    if (l < 15) return false;
    let aside = 0;
    for (const c of dots) {
      const s = (between(places, a, places, c) ** 2 - between(places, b, places, c) ** 2 + l * l) / (2 * l);
      aside = Math.max(aside, between(places, a, places, c) ** 2 - s * s);
    }
    return aside > 8 ** 2;
  }

  private agree(seen: Float32Array, i: number, j: number, a: number, b: number): boolean {
    return Math.abs(between(seen, i, seen, j) - between(this.places, a, this.places, b)) < AGREE;
  }

  private nearest(x: number, y: number, z: number): { dot: number; distance: number } {
    let dot = -1;
    let least = Infinity;
    for (let i = 0; i < this.count; i++) {
      const [dx, dy, dz] = [this.places[3 * i] - x, this.places[3 * i + 1] - y, this.places[3 * i + 2] - z];
      const d = dx * dx + dy * dy + dz * dz;
      if (d < least) [dot, least] = [i, d];
    }
    return { dot, distance: Math.sqrt(least) };
  }
}

/** Distances between dots: of all with all, and those within reach of a sensor in ascending order. */
interface DistanceTable {
  all: Float32Array;
  pairs: { a: number; b: number; distance: number }[];
}

function distanceTable(places: ArrayLike<number>): DistanceTable {
  const n = places.length / 3;
  const all = distanceMatrix(places);
  const pairs = [];
  for (let a = 0; a < n; a++)
    for (let b = a + 1; b < n; b++) if (all[a * n + b] < REACH) pairs.push({ a, b, distance: all[a * n + b] });
  return { all, pairs: pairs.sort((x, y) => x.distance - y.distance) };
}

function distanceMatrix(p: ArrayLike<number>): Float32Array {
  const n = p.length / 3;
  const out = new Float32Array(n * n);
  for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) out[i * n + j] = between(p, i, p, j);
  return out;
}

/** Root mean square distance between seen dots, placed, and the known ones, mm. */
export function gapBetween({ seen, known }: Pick<DotPairs, 'seen' | 'known'>, mapFromSensor: Mat4): number {
  let squares = 0;
  for (let i = 0; i < seen.length; i += 3) {
    const p = transformPoint(mapFromSensor, seen[i], seen[i + 1], seen[i + 2]);
    squares += (p[0] - known[i]) ** 2 + (p[1] - known[i + 1]) ** 2 + (p[2] - known[i + 2]) ** 2;
  }
  return Math.sqrt(squares / (seen.length / 3));
}

const between = (p: ArrayLike<number>, i: number, q: ArrayLike<number>, j: number): number =>
  Math.hypot(p[3 * i] - q[3 * j], p[3 * i + 1] - q[3 * j + 1], p[3 * i + 2] - q[3 * j + 2]);

/** Two dots far from one another: the farthest from the first, and the farthest from that. */
function farthestOf(places: ArrayLike<number>, dots: number[]): [number, number] {
  const from = (a: number): number =>
    dots.reduce((far, d) => (between(places, a, places, d) > between(places, a, places, far) ? d : far), a);
  const a = from(dots[0]);
  return [a, from(a)];
}

/** Do both poses put the sensor in about the same place. */
function samePlace(a: DotPairs, b: DotPairs): boolean {
  return gapBetween({ seen: a.seen, known: a.known }, b.mapFromSensor) < 2 * SAME;
}

/** First pair, by ascending distance, whose distance is no smaller. */
function lowerBound(table: { distance: number }[], distance: number): number {
  let [low, high] = [0, table.length];
  while (low < high) {
    const mid = (low + high) >> 1;
    if (table[mid].distance < distance) low = mid + 1;
    else high = mid;
  }
  return low;
}
