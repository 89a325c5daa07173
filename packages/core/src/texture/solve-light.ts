import { choleskyInPlace, solveWithCholesky } from '../math/solve.js';
import { LAMP_TERM, ROOM_TERMS } from './light-model.js';
import type { ViewSamples } from './view-samples.js';

/** Spread of the logarithm of what two views see of one place, beside outliers. */
const NOISE = 0.06;
/** Neighbouring places tell the same: so much less each one counts. */
const INDEPENDENT = 0.15;
/** What is expected beforehand, one standard deviation: logarithm of gains; light terms in parts of the whole light; logarithm of the paint. */
const GAIN_SPREAD = 0.3;
const TERM_SPREAD = [1, 0.5, 0.5, 0.5, 0.15, 0.15, 0.15, 0.15, 0.15, 0.6];
const SENSOR_SPREAD = 1;
const PAINT_SPREAD = 0.6;
/** The paint of a body is about so many independent colours. */
const PAINTS = 20;
const ROUNDS = 28;
const GAIN_ROUNDS = 10;
/** Nothing moves by more than this any more. */
const SETTLED = 2e-3;
/** Weight of one sample. */
const SURE = INDEPENDENT / NOISE ** 2;
/** A term of the light moves by so much in one step, at most. */
const MOST_AT_ONCE = 0.35;
/** Light is never less than this share of the usual: logarithms stay finite. */
const LEAST_LIGHT = 0.03;
/** Outliers count from this misfit of the logarithm on; the first rounds are wider. */
const OUTLYING = 0.14;
const WIDEST = 0.7;

/** What the samples of one place come to. */
interface OnePlace {
  /** Of each sample: its weight, and that over its light. */
  weight: Float64Array;
  share: Float64Array;
  /** Of each room that sees the place: its first column, the first sample behind its own, sums of weights over light once, twice, and with the sensor's. */
  column: Int32Array;
  until: Int32Array;
  once: Float64Array;
  twice: Float64Array;
  across: Float64Array;
}

/** Adds a room's terms from `t` on, times `f`, to the ten numbers from `at` on: written out, for most of the time goes here. */
function addTerms(to: Float64Array, at: number, f: number, terms: Float64Array, t: number): void {
  to[at] += f * terms[t];
  to[at + 1] += f * terms[t + 1];
  to[at + 2] += f * terms[t + 2];
  to[at + 3] += f * terms[t + 3];
  to[at + 4] += f * terms[t + 4];
  to[at + 5] += f * terms[t + 5];
  to[at + 6] += f * terms[t + 6];
  to[at + 7] += f * terms[t + 7];
  to[at + 8] += f * terms[t + 8];
  to[at + 9] += f * terms[t + 9];
}

/**
 * Solves exposure and white balance of each view, the light of each room and the lamp at the sensor together with the paint
 * of every place, by what several views see of the same places: logarithm of a picture = gain + light + paint. Robust
 * against what doesn't follow (highlights, shadows, things before the object); the paint is eliminated place by place, so that
 * a round costs O(samples · terms²) and one Cholesky factorisation a channel.
 *
 * Gauss–Newton on the variable projection: G. Golub, V. Pereyra (1973), The differentiation of pseudo-inverses and nonlinear
 * least squares problems whose variables separate. Weights: S. Geman, D. McClure (1987), Statistical methods for tomographic
 * image restoration.
 */
export class LightSolver {
  /** Logarithms of the gains, then the room's terms, then the sensor's, for each of three channels. */
  readonly columns: Float64Array[];
  /** Logarithm of the paint at each place, three channels. */
  readonly paint: Float64Array;
  /** Robust weight of each sample, 0–1, without its own. */
  readonly trust: Float32Array;
  private readonly lamp: Float32Array;
  private readonly size: number;
  private readonly precision: Float64Array;
  private readonly mean = new Float64Array(3);
  private readonly normal: Float64Array;
  private readonly right: Float64Array;
  /** Of one place: terms of each room that sees it, and what its samples and rooms come to. */
  private readonly terms: Float64Array;
  private readonly own: OnePlace;
  /** Light on each sample, and what of its logarithm is left for the paint, three channels. */
  private readonly lightOn: Float64Array;
  private readonly rest: Float64Array;
  private readonly prior: number;

  /**
   * @param rooms room of each view
   * @param light false: only the gains are solved
   */
  constructor(
    private readonly samples: ViewSamples,
    private readonly rooms: readonly number[],
    private readonly light: boolean,
  ) {
    const views = rooms.length;
    const count = Math.max(0, ...rooms) + 1;
    this.size = views + ROOM_TERMS * count + 1;
    this.precision = new Float64Array(this.size);
    this.precision.fill(1 / GAIN_SPREAD ** 2, 0, views);
    for (let r = 0; r < count; r++) {
      for (let j = 0; j < ROOM_TERMS; j++)
        this.precision[views + ROOM_TERMS * r + j] = light && j !== LAMP_TERM ? 1 / TERM_SPREAD[j] ** 2 : 1e9;
    }
    this.precision[this.size - 1] = light ? 1 / SENSOR_SPREAD ** 2 : 1e9;
    this.columns = [0, 1, 2].map(() => {
      const c = new Float64Array(this.size);
      for (let r = 0; r < count; r++) c[views + ROOM_TERMS * r] = light ? 0.6 : 1;
      c[this.size - 1] = light ? 0.4 : 0;
      return c;
    });
    this.lamp = new Float32Array(samples.places * count);
    this.paint = new Float64Array(3 * samples.places);
    this.trust = new Float32Array(samples.view.length).fill(1);
    this.normal = new Float64Array(this.size * this.size);
    this.right = new Float64Array(this.size);
    this.terms = new Float64Array(ROOM_TERMS * count);
    let most = 0;
    for (let p = 0; p < samples.places; p++) most = Math.max(most, samples.start[p + 1] - samples.start[p]);
    this.own = {
      weight: new Float64Array(most),
      share: new Float64Array(most),
      column: new Int32Array(count),
      until: new Int32Array(count),
      once: new Float64Array(count),
      twice: new Float64Array(count),
      across: new Float64Array(count),
    };
    this.lightOn = new Float64Array(samples.logLight.length);
    this.rest = new Float64Array(samples.logLight.length);
    this.prior = (light ? Math.min(1, PAINTS / Math.max(1, samples.places)) : 1e-6) / PAINT_SPREAD ** 2;
    this.settlePaint();
  }

  /** Puts a lamp into a room: what of it falls on each place, 0–1. */
  setLamp(room: number, falls: Float32Array): void {
    this.lamp.set(falls, room * this.samples.places);
    this.precision[this.rooms.length + ROOM_TERMS * room + LAMP_TERM] = 1 / TERM_SPREAD[LAMP_TERM] ** 2;
  }

  /** The lamp's share in the middle of a room's light, all channels together; 0 without one. */
  lampOf(room: number): number {
    return this.columns.reduce((s, c) => s + c[this.rooms.length + ROOM_TERMS * room + LAMP_TERM], 0) / 3;
  }

  /** Where the light of a room comes from, by the terms that are linear in the normal; not unit. */
  mainDirection(room: number): [number, number, number] {
    const at = this.rooms.length + ROOM_TERMS * room;
    return [1, 2, 3].map((j) => this.columns.reduce((s, c) => s + c[at + j] / Math.max(0.05, c[at]), 0) / 3) as [
      number,
      number,
      number,
    ];
  }

  /** What has been found, to return to by `restore`. */
  snapshot(): { columns: Float64Array[]; paint: Float64Array; trust: Float32Array } {
    return { columns: this.columns.map((c) => c.slice()), paint: this.paint.slice(), trust: this.trust.slice() };
  }

  restore(s: { columns: Float64Array[]; paint: Float64Array; trust: Float32Array }): void {
    s.columns.forEach((c, k) => this.columns[k].set(c));
    this.paint.set(s.paint);
    this.trust.set(s.trust);
    this.look();
  }

  /**
   * Rounds of Gauss–Newton.
   * @param widening how much wider outliers are let in at the first round; it narrows to 1 over half of them
   * @returns the robust cost
   */
  rounds(count: number, widening = 1): number {
    for (let i = 0; i < count; i++) {
      this.weigh(OUTLYING * widening ** Math.max(0, 1 - (2 * i) / count));
      let moved = 0;
      for (let k = 0; k < 3; k++) moved = Math.max(moved, this.step(k));
      if (this.light) this.fixScale();
      this.settlePaint();
      if (moved < SETTLED && 2 * i > count) break;
    }
    return this.weigh(OUTLYING);
  }

  /** All rounds from the start. */
  solve(): number {
    return this.rounds(this.light ? ROUNDS : GAIN_ROUNDS, WIDEST / OUTLYING);
  }

  /** Median misfit of all samples, the three channels together. */
  misfit(): number {
    const { samples, rest, paint } = this;
    const all = new Float64Array(samples.view.length);
    for (let p = 0; p < samples.places; p++) {
      for (let s = samples.start[p]; s < samples.start[p + 1]; s++) {
        for (let k = 0; k < 3; k++) all[s] += (rest[3 * s + k] - paint[3 * p + k]) ** 2 / 3;
      }
    }
    return Math.sqrt(all.sort()[Math.floor(all.length / 2)] ?? NaN);
  }

  /** Light on every sample, and what of its logarithm gain and light leave for the paint. */
  private look(): void {
    const { samples, columns, rooms, size, lightOn, rest } = this;
    const basis = samples.harmonics;
    for (let k = 0; k < 3; k++) {
      const c = columns[k];
      const own = c[size - 1];
      for (let p = 0; p < samples.places; p++) {
        let room = -1;
        let falls = 0;
        for (let s = samples.start[p]; s < samples.start[p + 1]; s++) {
          const view = samples.view[s];
          if (rooms[view] !== room) {
            room = rooms[view];
            const at = rooms.length + ROOM_TERMS * room;
            falls = c[at + LAMP_TERM] * this.lamp[room * samples.places + p];
            for (let j = 0; j < 9; j++) falls += c[at + j] * basis[9 * p + j];
          }
          const light = falls + own * samples.sensor[s];
          lightOn[3 * s + k] = light > LEAST_LIGHT ? light : LEAST_LIGHT;
          rest[3 * s + k] = samples.logLight[3 * s + k] - c[view] - Math.log(lightOn[3 * s + k]);
        }
      }
    }
  }

  /** Robust weights at a scale, and their cost. */
  private weigh(scale: number): number {
    const { samples, trust, rest, paint } = this;
    const share = 1 / (3 * scale * scale);
    let cost = 0;
    for (let p = 0; p < samples.places; p++) {
      for (let s = samples.start[p]; s < samples.start[p + 1]; s++) {
        const r = rest[3 * s] - paint[3 * p];
        const g = rest[3 * s + 1] - paint[3 * p + 1];
        const b = rest[3 * s + 2] - paint[3 * p + 2];
        const square = (r * r + g * g + b * b) * share;
        trust[s] = 1 / (1 + square) ** 2;
        cost += (samples.weight[s] * square) / (1 + square);
      }
    }
    return cost;
  }

  /** Light and paint can be scaled against each other: light is 1 on the whole, for what is expected of its terms is in parts of that. */
  private fixScale(): void {
    const { samples, columns, rooms, lightOn } = this;
    this.look();
    for (let k = 0; k < 3; k++) {
      let sum = 0;
      for (let s = 0; s < samples.view.length; s++) sum += Math.log(lightOn[3 * s + k]);
      const scale = Math.exp(-sum / samples.view.length);
      for (let a = rooms.length; a < this.size; a++) columns[k][a] *= scale;
    }
  }

  /** The paint that follows from everything else, drawn a little to the usual one. */
  private settlePaint(): void {
    const { samples, trust, paint, mean, rest, prior } = this;
    this.look();
    for (let k = 0; k < 3; k++) {
      let total = 0;
      for (let p = 0; p < samples.places; p++) {
        let sum = 0;
        let weight = 0;
        for (let s = samples.start[p]; s < samples.start[p + 1]; s++) {
          const w = SURE * samples.weight[s] * trust[s];
          sum += w * rest[3 * s + k];
          weight += w;
        }
        paint[3 * p + k] = (sum + prior * mean[k]) / (weight + prior);
        total += paint[3 * p + k];
      }
      mean[k] = total / Math.max(1, samples.places);
    }
  }

  /** One step of one channel. @returns how far it went at most */
  private step(k: number): number {
    const { size, normal, right } = this;
    const views = this.rooms.length;
    const columns = this.columns[k];
    this.gather(k);
    for (let a = 0; a < size; a++) {
      const expected = this.expected(a);
      normal[a * size + a] += this.precision[a] + 1e-6 * normal[a * size + a];
      right[a] += this.precision[a] * (expected - columns[a]);
    }
    if (!choleskyInPlace(normal, size)) return 0;
    solveWithCholesky(normal, right, size);
    // No light term moves by more than a part of the whole at once: the logarithm is far from straight.
    let most = 0;
    for (let a = views; a < size; a++) most = Math.max(most, Math.abs(right[a]));
    const damping = Math.min(1, MOST_AT_ONCE / Math.max(1e-9, most));
    for (let a = 0; a < size; a++) columns[a] += damping * right[a];
    return most;
  }

  /**
   * Normal equations of one channel, the paint eliminated place by place: `right` and the lower half of `normal`; its upper half is
   * left with what is not needed. What a place's samples have in common with one another stands as single factors before its
   * terms, so that a place costs a product of its terms for each pair of rooms, and one for each sample and room.
   */
  private gather(k: number): void {
    const { samples, rooms, size, trust, normal, right, rest, paint, lightOn, prior, lamp, terms, own } = this;
    const views = rooms.length;
    const { start, view: viewOf, weight: quality, sensor, harmonics: basis, places } = samples;
    const last = size - 1;
    normal.fill(0);
    right.fill(0);
    for (let p = 0; p < places; p++) {
      const begin = start[p];
      const end = start[p + 1];
      let weight = prior;
      let withSensor = 0;
      let seenIn = 0;
      for (let first = begin; first < end; seenIn++) {
        const room = rooms[viewOf[first]];
        const at = views + ROOM_TERMS * room;
        const t = ROOM_TERMS * seenIn;
        for (let j = 0; j < 9; j++) terms[t + j] = basis[9 * p + j];
        terms[t + LAMP_TERM] = lamp[room * places + p];
        // Sums over the samples of this room: all have the same terms, each over its own light.
        let once = 0;
        let twice = 0;
        let across = 0;
        let misfits = 0;
        let s = first;
        for (; s < end && rooms[viewOf[s]] === room; s++) {
          const w = SURE * quality[s] * trust[s];
          const share = 1 / lightOn[3 * s + k];
          const ws = w * share;
          const r = rest[3 * s + k] - paint[3 * p + k];
          const bySensor = sensor[s] * share;
          const view = viewOf[s];
          own.weight[s - begin] = w;
          own.share[s - begin] = ws;
          normal[view * size + view] += w;
          normal[last * size + view] += w * bySensor;
          normal[last * size + last] += w * bySensor * bySensor;
          right[view] += w * r;
          right[last] += w * bySensor * r;
          once += ws;
          twice += ws * share;
          across += ws * bySensor;
          misfits += ws * r;
          withSensor += w * bySensor;
          weight += w;
        }
        own.column[seenIn] = at;
        own.until[seenIn] = s;
        own.once[seenIn] = once;
        own.twice[seenIn] = twice;
        own.across[seenIn] = across;
        addTerms(right, at, misfits, terms, t);
        first = s;
      }
      // The paint takes its part of all that.
      const part = 1 / weight;
      normal[last * size + last] -= withSensor * withSensor * part;
      for (let s = begin; s < end; s++) {
        const f = own.weight[s - begin] * part;
        const view = viewOf[s];
        normal[last * size + view] -= withSensor * f;
        for (let e = begin; e <= s; e++) {
          const other = viewOf[e];
          normal[view > other ? view * size + other : other * size + view] -= f * own.weight[e - begin];
        }
      }
      for (let a = 0; a < seenIn; a++) {
        const at = own.column[a];
        const t = ROOM_TERMS * a;
        const once = own.once[a] * part;
        const from = a === 0 ? begin : own.until[a - 1];
        const until = own.until[a];
        // Views before terms: the upper half, whose rows lie together; it is turned over below.
        for (let s = begin; s < end; s++) {
          const f = (s >= from && s < until ? own.share[s - begin] : 0) - once * own.weight[s - begin];
          addTerms(normal, viewOf[s] * size + at, f, terms, t);
        }
        const f = own.across[a] - once * withSensor;
        addTerms(normal, last * size + at, f, terms, t);
        for (let b = 0; b <= a; b++) {
          const both = (a === b ? own.twice[a] : 0) - once * own.once[b];
          // Rooms come in rising order: the lower half.
          const rows = at * size + own.column[b];
          for (let j = 0; j < ROOM_TERMS; j++)
            addTerms(normal, rows + j * size, both * terms[t + j], terms, ROOM_TERMS * b);
        }
      }
    }
    for (let view = 0; view < views; view++)
      for (let a = views; a < last; a++) normal[a * size + view] = normal[view * size + a];
  }

  private expected(column: number): number {
    const views = this.rooms.length;
    if (column < views) return 0;
    if (column === this.size - 1) return this.light ? 0.4 : 0;
    return (column - views) % ROOM_TERMS === 0 ? (this.light ? 0.6 : 1) : 0;
  }
}
