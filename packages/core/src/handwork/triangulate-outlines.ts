import { orient2d } from 'robust-predicates';

/**
 * Triangulates what lies inside flat outlines: those that run counter-clockwise bound it, those that run clockwise are
 * holes in the smallest of these that holds them. Holes are joined to their outline by a cut, then ears are clipped, all
 * decided exactly. O(n²).
 * Sources: G. Meisters (1975), Polygons have ears; D. Eberly (2002), Triangulation by ear clipping (the cuts to holes).
 * @param at places, 2n @param outlines numbers of places, in order
 * @returns triangles, counter-clockwise, and the outlines that could not be filled: holes without an outline around them
 */
export function triangulateOutlines(
  at: ArrayLike<number>,
  outlines: readonly (readonly number[])[],
): { triangles: number[]; left: number[] } {
  const triangles: number[] = [];
  const areas = outlines.map((outline) => signedArea(at, outline));
  const outer = outlines.flatMap((_, i) => (areas[i] > 0 ? [i] : []));
  const holes = new Map<number, number[]>(outer.map((i) => [i, []]));
  const left: number[] = [];
  outlines.forEach((outline, i) => {
    if (areas[i] > 0) return;
    const around = outer.filter((o) => contains(at, outlines[o], outline[0])).sort((a, b) => areas[a] - areas[b]);
    if (around.length > 0) holes.get(around[0])!.push(i);
    else left.push(i);
  });
  for (const o of outer) {
    const inner = holes.get(o)!.map((i) => outlines[i]);
    clipEars(at, joinHoles(at, outlines[o], inner), triangles);
  }
  return { triangles, left };
}

function signedArea(at: ArrayLike<number>, outline: readonly number[]): number {
  let sum = 0;
  outline.forEach((a, i) => {
    const b = outline[(i + 1) % outline.length];
    sum += at[2 * a] * at[2 * b + 1] - at[2 * b] * at[2 * a + 1];
  });
  return sum / 2;
}

/** Does an outline run round a place? By how often a ray to the right crosses it. */
function contains(at: ArrayLike<number>, outline: readonly number[], v: number): boolean {
  const [x, y] = [at[2 * v], at[2 * v + 1]];
  let inside = false;
  outline.forEach((a, i) => {
    const b = outline[(i + 1) % outline.length];
    const [ya, yb] = [at[2 * a + 1], at[2 * b + 1]];
    if (ya > y === yb > y) return;
    if (x < at[2 * a] + ((y - ya) / (yb - ya)) * (at[2 * b] - at[2 * a])) inside = !inside;
  });
  return inside;
}

/** Twice the area of a triangle: above 0 if it runs counter-clockwise. */
const turn = (at: ArrayLike<number>, a: number, b: number, c: number): number =>
  // The package's own sign is that of clockwise turns.
  -orient2d(at[2 * a], at[2 * a + 1], at[2 * b], at[2 * b + 1], at[2 * c], at[2 * c + 1]);

const inTriangle = (at: ArrayLike<number>, v: number, a: number, b: number, c: number): boolean =>
  turn(at, a, b, v) >= 0 && turn(at, b, c, v) >= 0 && turn(at, c, a, v) >= 0;

/** One outline out of one and the holes in it. */
function joinHoles(at: ArrayLike<number>, outer: readonly number[], holes: readonly (readonly number[])[]): number[] {
  let ring = outer.slice();
  const rightmost = (hole: readonly number[]): number =>
    hole.reduce((best, v, i) => (at[2 * v] > at[2 * hole[best]] ? i : best), 0);
  // From the right, so that no later hole stands between one and its outline.
  const sorted = holes
    .map((hole) => ({ hole, from: rightmost(hole) }))
    .sort((a, b) => at[2 * b.hole[b.from]] - at[2 * a.hole[a.from]]);
  for (const { hole, from } of sorted) {
    const to = seenFrom(at, ring, hole[from]);
    const around = [...hole.slice(from), ...hole.slice(0, from), hole[from]];
    ring = [...ring.slice(0, to + 1), ...around, ...ring.slice(to)];
  }
  return ring;
}

/** A place in a ring that a vertex inside of it sees: to its right. */
function seenFrom(at: ArrayLike<number>, ring: readonly number[], v: number): number {
  const [x, y] = [at[2 * v], at[2 * v + 1]];
  let best = -1;
  let nearest = Infinity;
  ring.forEach((a, i) => {
    const j = (i + 1) % ring.length;
    const b = ring[j];
    const [ya, yb] = [at[2 * a + 1], at[2 * b + 1]];
    // Only edges that go up have the inside on their left, where the ray comes from.
    if (!(ya <= y && yb >= y) || ya === yb) return;
    const across = at[2 * a] + ((y - ya) / (yb - ya)) * (at[2 * b] - at[2 * a]);
    if (across < x || across >= nearest) return;
    nearest = across;
    best = at[2 * a] > at[2 * b] ? i : j;
  });
  if (best < 0) return 0;
  // Of what stands in the triangle between, the one nearest to the ray by angle.
  const [px, py] = [at[2 * ring[best]], at[2 * ring[best] + 1]];
  let found = best;
  let least = Infinity;
  ring.forEach((w, i) => {
    const [wx, wy] = [at[2 * w], at[2 * w + 1]];
    if (i === best || wx < x) return;
    const [before, after] = [ring[(i + ring.length - 1) % ring.length], ring[(i + 1) % ring.length]];
    const reflex = turn(at, before, w, after) < 0;
    if (!reflex || !insidePlain(wx, wy, x, y, nearest, px, py)) return;
    const angle = Math.abs(wy - y) / (wx - x || 1e-300);
    if (angle < least || (angle === least && wx < at[2 * ring[found]])) {
      least = angle;
      found = i;
    }
  });
  return found;
}

/** Is a place in the triangle of (x, y), (across, y) and (px, py)? */
function insidePlain(wx: number, wy: number, x: number, y: number, across: number, px: number, py: number): boolean {
  const side = (ax: number, ay: number, bx: number, by: number): number =>
    (bx - ax) * (wy - ay) - (by - ay) * (wx - ax);
  const [d, e, f] = [side(x, y, across, y), side(across, y, px, py), side(px, py, x, y)];
  return (d >= 0 && e >= 0 && f >= 0) || (d <= 0 && e <= 0 && f <= 0);
}

/** Cuts off ears until a triangle is left; where none is left to be found, such as in a ring that touches itself, the best corner. */
function clipEars(at: ArrayLike<number>, ring: readonly number[], out: number[]): void {
  const rest = ring.slice();
  let from = 0;
  while (rest.length > 3) {
    let ear = -1;
    for (let step = 0; step < rest.length; step++) {
      const i = (from + step) % rest.length;
      if (isEar(at, rest, i)) {
        ear = i;
        break;
      }
    }
    if (ear < 0) ear = sharpest(at, rest);
    const [a, b, c] = [-1, 0, 1].map((k) => rest[(ear + k + rest.length) % rest.length]);
    out.push(a, b, c);
    rest.splice(ear, 1);
    // Ears next to each other make fans of slivers: go on a little further along.
    from = (ear + 1) % rest.length;
  }
  if (rest.length === 3) out.push(...rest);
}

function isEar(at: ArrayLike<number>, ring: readonly number[], i: number): boolean {
  const [a, b, c] = [-1, 0, 1].map((k) => ring[(i + k + ring.length) % ring.length]);
  if (turn(at, a, b, c) <= 0) return false;
  for (const v of ring) {
    if (v === a || v === b || v === c) continue;
    if (inTriangle(at, v, a, b, c)) return false;
  }
  return true;
}

function sharpest(at: ArrayLike<number>, ring: readonly number[]): number {
  let best = 0;
  let most = -Infinity;
  ring.forEach((_, i) => {
    const [a, b, c] = [-1, 0, 1].map((k) => ring[(i + k + ring.length) % ring.length]);
    const area = turn(at, a, b, c);
    if (area > most) {
      most = area;
      best = i;
    }
  });
  return best;
}
