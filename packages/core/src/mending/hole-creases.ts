import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Surroundings } from './surroundings.js';

/** A hole's rim parted by the creases that run on through it. */
export interface PartedRim {
  /** 3n: the rim's points, then those along the creases, the first guess of their places. */
  points: Float64Array;
  /** Closed loops of points, one for each face that goes on into the hole. */
  loops: number[][];
  /** Lines of points along creases, from rim to rim or from rim to the place where they meet. */
  creases: number[][];
}

/** Two faces form a crease if they meet at no less than this angle. */
const LEAST_FOLD = Math.cos((40 * Math.PI) / 180);
/** Along the rim the normal has to turn so much more at a crease than in the faces beside it. */
const SHARPNESS = 3;
/** Rim vertices of a face that are looked at beside a crease. */
const WINDOW = 3;
/** How far off the way of its crease an end may lie from where it leads, as 1 − cosine, summed over both ends. */
const WORST_LINK = 0.5;

/** Two creases that make a corner have no more of their ways in common, as cosine. */
const MOST_ALONG = 0.7;

interface CreaseEnd {
  /** Place in the rim. */
  at: number;
  /** The way the crease runs into the hole, of length 1. */
  into: [number, number, number];
  /** Whether it is plain which of its two ways leads into the hole. */
  sure: boolean;
}

/**
 * Finds where crisp edges of the surroundings end at a rim and joins them through the hole: two by two where each leads
 * to the other, or three and more in one corner. @param rim in the order of the patch
 * @returns undefined where no crease runs on
 */
export function partByCreases(
  mesh: TriangleMesh,
  around: Surroundings,
  rim: Uint32Array,
  points: Float64Array,
): PartedRim | undefined {
  const ends = creaseEnds(mesh, around, rim, points);
  if (ends.length < 2) return undefined;
  const links = linkEnds(ends, points);
  const grown = Array.from(points);
  const creases: number[][] = [];
  let loops: number[][] = [Array.from({ length: rim.length }, (_, i) => i)];
  for (const [a, b] of links.pairs) {
    const line = lineBetween(ends[a], ends[b], points, grown);
    if (line.length < 3 && Math.abs(line[0] - line[line.length - 1]) < 2) continue;
    const parted = splitLoop(loops, line);
    if (!parted) continue;
    loops = parted;
    creases.push(line);
  }
  if (links.corner) {
    const { place, arms } = links.corner;
    const apex = grown.length / 3;
    grown.push(...place);
    const lines = arms.map((a) => lineTo(ends[a].at, apex, points, place, grown));
    const home = loops.findIndex((loop) => arms.every((a) => loop.includes(ends[a].at)));
    if (home >= 0) {
      const loop = loops[home];
      const starts = lines.map((l) => loop.indexOf(l[0]));
      const order = starts.map((_, i) => i).sort((i, j) => starts[i] - starts[j]);
      const parts = order.map((i, k) => {
        const j = order[(k + 1) % order.length];
        return [...between(loop, starts[i], starts[j]), ...lines[j].slice(1), ...lines[i].slice(1, -1).reverse()];
      });
      loops.splice(home, 1, ...parts);
      creases.push(...lines);
    }
  }
  if (creases.length === 0 || loops.some((l) => l.length < 3)) return undefined;
  return { points: Float64Array.from(grown), loops, creases };
}

/** Members of a ring from one place to another, both with. */
function between(ring: number[], from: number, to: number): number[] {
  return from <= to ? ring.slice(from, to + 1) : [...ring.slice(from), ...ring.slice(0, to + 1)];
}

/** Parts the loop that holds both ends of a line along it. */
function splitLoop(loops: number[][], line: number[]): number[][] | undefined {
  const [a, b] = [line[0], line[line.length - 1]];
  const at = loops.findIndex((l) => l.includes(a) && l.includes(b));
  if (at < 0) return undefined;
  const loop = loops[at];
  const [i, j] = [loop.indexOf(a), loop.indexOf(b)];
  const inner = line.slice(1, -1);
  const one = [...between(loop, i, j), ...inner.slice().reverse()];
  const other = [...between(loop, j, i), ...inner];
  if (one.length < 3 || other.length < 3) return undefined;
  return [...loops.slice(0, at), one, other, ...loops.slice(at + 1)];
}

function creaseEnds(mesh: TriangleMesh, around: Surroundings, rim: Uint32Array, points: Float64Array): CreaseEnd[] {
  const n = rim.length;
  if (n < 4 * WINDOW) return [];
  // Each rim edge has one triangle beside it; with those around, its normal is that of the face there.
  const normals = new Float64Array(3 * n);
  for (let i = 0; i < n; i++) addNormals(mesh, around, rim[i], rim[(i + 1) % n], normals.subarray(3 * i, 3 * i + 3));
  const cosine = (i: number, j: number): number => {
    const a = 3 * ((i + n) % n);
    const b = 3 * ((j + n) % n);
    return normals[a] * normals[b] + normals[a + 1] * normals[b + 1] + normals[a + 2] * normals[b + 2];
  };
  const angle = (i: number, j: number): number => Math.acos(Math.max(-1, Math.min(1, cosine(i, j))));
  // Between rim edge i − 1 and rim edge i stands rim vertex i; a rounded crease may take an edge on each side.
  const fold = Float64Array.from({ length: n }, (_, i) => angle(i - 2, i + 1));
  const out: CreaseEnd[] = [];
  const middle = [0, 1, 2].map((k) => {
    let s = 0;
    for (let i = 0; i < n; i++) s += points[3 * i + k] / n;
    return s;
  });
  for (let i = 0; i < n; i++) {
    if (Math.cos(fold[i]) > LEAST_FOLD) continue;
    let most = true;
    for (let d = -WINDOW; d <= WINDOW; d++) {
      const other = fold[(i + d + n) % n];
      if (other > fold[i] + 1e-9 || (d < 0 && other > fold[i] - 1e-9)) most = false;
    }
    if (!most) continue;
    const beside = Math.max(angle(i - 2 - WINDOW + 1, i - 2), angle(i + 1, i + WINDOW));
    if (beside * SHARPNESS > fold[i]) continue;
    // The place with the sharpest turn among the rim vertices in between.
    let at = i;
    for (const d of [-1, 1]) if (angle(i + d - 1, i + d) > angle(at - 1, at) + 1e-9) at = i + d;
    at = (at + n) % n;
    const [l, r] = [normals.subarray(3 * ((i - 2 + n) % n)), normals.subarray(3 * ((i + 1) % n))];
    const into = [l[1] * r[2] - l[2] * r[1], l[2] * r[0] - l[0] * r[2], l[0] * r[1] - l[1] * r[0]];
    const to = [0, 1, 2].map((k) => middle[k] - points[3 * at + k]);
    const length = Math.hypot(...into);
    const dot = into[0] * to[0] + into[1] * to[1] + into[2] * to[2];
    // A crease that runs along the rim rather than into the hole ends nothing, unless it meets others just there.
    const sure = Math.abs(dot) >= 0.2 * length * Math.hypot(...to);
    const scale = Math.sign(dot) / length;
    out.push({ at, into: [into[0] * scale, into[1] * scale, into[2] * scale], sure });
  }
  return out;
}

/** Mean normal of the triangles at two vertices that turn no more than a little from the one they share. */
function addNormals(mesh: TriangleMesh, around: Surroundings, a: number, b: number, out: Float64Array): void {
  const p = mesh.positions;
  const cross = (t: number): number[] => {
    const [i, j, k] = [0, 1, 2].map((c) => 3 * mesh.indices[3 * t + c]);
    const u = [0, 1, 2].map((c) => p[j + c] - p[i + c]);
    const w = [0, 1, 2].map((c) => p[k + c] - p[i + c]);
    return [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
  };
  const own = Array.from(around.trianglesAt(a)).find((t) => around.trianglesAt(b).includes(t));
  if (own === undefined) return;
  const first = cross(own);
  const size = Math.hypot(...first) || 1;
  for (const v of [a, b]) {
    for (const t of around.trianglesAt(v)) {
      const c = cross(t);
      const l = Math.hypot(...c);
      if (l > 0 && (c[0] * first[0] + c[1] * first[1] + c[2] * first[2]) / (l * size) > 0.94)
        for (let k = 0; k < 3; k++) out[k] += c[k];
    }
  }
  const l = Math.hypot(out[0], out[1], out[2]) || 1;
  for (let k = 0; k < 3; k++) out[k] /= l;
}

interface Links {
  pairs: [number, number][];
  corner?: { place: number[]; arms: number[] };
}

/** Joins the ends so that each crease turns as little as it can. */
function linkEnds(ends: CreaseEnd[], points: Float64Array): Links {
  const place = (e: number): number[] => [0, 1, 2].map((k) => points[3 * ends[e].at + k]);
  const off = (e: number, to: number[]): number => {
    const way = to.map((x, k) => x - place(e)[k]);
    const l = Math.hypot(...way) || 1;
    return 1 - (way[0] * ends[e].into[0] + way[1] * ends[e].into[1] + way[2] * ends[e].into[2]) / l;
  };
  const pairCost = (a: number, b: number): number => off(a, place(b)) + off(b, place(a));
  /** The best pairs without crossings among ends that stand in a row, and what they cost; what is left over costs too. */
  const pairUp = (row: number[]): { cost: number; pairs: [number, number][] } => {
    if (row.length < 2) return { cost: row.length * WORST_LINK, pairs: [] };
    const skipped = pairUp(row.slice(1));
    let best = { cost: skipped.cost + WORST_LINK, pairs: skipped.pairs };
    for (let k = 1; k < row.length; k++) {
      const cost = pairCost(row[0], row[k]);
      if (cost > WORST_LINK) continue;
      const [inside, rest] = [pairUp(row.slice(1, k)), pairUp(row.slice(k + 1))];
      const sum = cost + inside.cost + rest.cost;
      if (sum < best.cost) best = { cost: sum, pairs: [[row[0], row[k]], ...inside.pairs, ...rest.pairs] };
    }
    return best;
  };
  const all = ends.map((_, i) => i).filter((e) => ends[e].sure);
  if (all.length > 8) return { pairs: [] };
  const paired = pairUp(all);
  const corner = meeting(
    all.map((e) => ends[e]),
    points,
  );
  if (!corner || !insideRim(corner, points)) return { pairs: paired.pairs };
  const cornerCost = all.reduce((s, e) => s + off(e, corner), 0);
  // Two creases make a corner only where they meet across each other; else they are one that bends.
  const [a, b] = all.length === 2 ? [ends[all[0]].into, ends[all[1]].into] : [[0], [0]];
  const across = Math.abs(a.reduce((s, x, k) => s + x * b[k], 0)) < MOST_ALONG;
  const worst = all.length >= 3 ? WORST_LINK / 2 : WORST_LINK / 10;
  if (!(cornerCost < paired.cost && across && all.every((e) => off(e, corner) < worst))) return { pairs: paired.pairs };
  const step = rimStep(points);
  const beside = ends.map((_, e) => e).filter((e) => !ends[e].sure && aside(ends[e], corner, points) < 1.5 * step);
  return { pairs: [], corner: { place: corner, arms: [...all, ...beside].sort((x, y) => ends[x].at - ends[y].at) } };
}

/** How far a place lies from the line of a crease. */
function aside({ at, into }: CreaseEnd, place: number[], points: Float64Array): number {
  const way = place.map((x, k) => x - points[3 * at + k]);
  const along = way.reduce((s, x, k) => s + x * into[k], 0);
  return Math.hypot(...way.map((x, k) => x - along * into[k]));
}

/** Whether a place lies no further from the rim's middle than the rim does. */
function insideRim(place: number[], points: Float64Array): boolean {
  const n = points.length / 3;
  const middle = [0, 1, 2].map((k) => {
    let s = 0;
    for (let i = 0; i < n; i++) s += points[3 * i + k] / n;
    return s;
  });
  let widest = 0;
  for (let i = 0; i < n; i++) widest = Math.max(widest, Math.hypot(...middle.map((m, k) => points[3 * i + k] - m)));
  return Math.hypot(...middle.map((m, k) => place[k] - m)) <= widest;
}

/** The place nearest to all lines along which creases run in, by least squares; undefined if they run side by side. */
function meeting(ends: CreaseEnd[], points: Float64Array): number[] | undefined {
  const a = new Float64Array(9);
  const b = new Float64Array(3);
  for (const { at, into } of ends) {
    for (let i = 0; i < 3; i++) {
      for (let j = 0; j < 3; j++) {
        const m = (i === j ? 1 : 0) - into[i] * into[j];
        a[3 * i + j] += m;
        b[i] += m * points[3 * at + j];
      }
    }
  }
  const det = (m: ArrayLike<number>): number =>
    m[0] * (m[4] * m[8] - m[5] * m[7]) - m[1] * (m[3] * m[8] - m[5] * m[6]) + m[2] * (m[3] * m[7] - m[4] * m[6]);
  const whole = det(a);
  if (whole < 0.02 * ends.length ** 3 * 0.1) return undefined;
  return [0, 1, 2].map((k) => {
    const m = a.slice();
    for (let i = 0; i < 3; i++) m[3 * i + k] = b[i];
    return det(m) / whole;
  });
}

/** Points along a cubic curve from one end to the other with the creases' own directions (C. Hermite), evenly dense. */
function lineBetween(a: CreaseEnd, b: CreaseEnd, points: Float64Array, grown: number[]): number[] {
  const from = points.subarray(3 * a.at, 3 * a.at + 3);
  const to = points.subarray(3 * b.at, 3 * b.at + 3);
  const length = Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]);
  const steps = Math.max(1, Math.round(length / rimStep(points)));
  const line = [a.at];
  for (let i = 1; i < steps; i++) {
    const t = i / steps;
    const [h00, h10] = [(1 + 2 * t) * (1 - t) ** 2, t * (1 - t) ** 2];
    const [h01, h11] = [t * t * (3 - 2 * t), t * t * (t - 1)];
    line.push(grown.length / 3);
    for (let k = 0; k < 3; k++)
      grown.push(h00 * from[k] + h10 * length * a.into[k] + h01 * to[k] - h11 * length * b.into[k]);
  }
  line.push(b.at);
  return line;
}

function lineTo(at: number, apex: number, points: Float64Array, place: number[], grown: number[]): number[] {
  const from = points.subarray(3 * at, 3 * at + 3);
  const length = Math.hypot(place[0] - from[0], place[1] - from[1], place[2] - from[2]);
  const steps = Math.max(1, Math.round(length / rimStep(points)));
  const line = [at];
  for (let i = 1; i < steps; i++) {
    line.push(grown.length / 3);
    for (let k = 0; k < 3; k++) grown.push(from[k] + ((place[k] - from[k]) * i) / steps);
  }
  line.push(apex);
  return line;
}

/** Mean length of the rim's edges. */
function rimStep(points: Float64Array): number {
  const n = points.length / 3;
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const [a, b] = [3 * i, 3 * ((i + 1) % n)];
    sum += Math.hypot(points[a] - points[b], points[a + 1] - points[b + 1], points[a + 2] - points[b + 2]);
  }
  return sum / n;
}
