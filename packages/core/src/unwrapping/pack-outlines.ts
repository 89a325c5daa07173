import { createRandom } from '../math/random.js';

/** Where an outline lies, turned by `turn` (see `turnedShape`): its lower left corner in cells. */
export interface OutlineSpot {
  x: number;
  y: number;
  turn: number;
}

export interface PackedOutlines {
  /** Edge of the square that holds all, cells. */
  side: number;
  /** Edge of a cell, in the outlines' unit. */
  cell: number;
  spots: OutlineSpot[];
}

/** Shapes may lie at so many angles. */
const TURNS = 16;
/** Share of the square that is hoped for; only the size of cells follows from it. */
const HOPED = 0.75;
/** The square is first looked for with cells so many times as large. */
const COARSE = 2.5;
/** So many orders of the shapes are tried, fewer of many shapes, their sizes mixed by up to this factor's logarithm. */
const MOST_TRIES = 40;
const LEAST_TRIES = 6;
const SHAPES_TRIED = 800;
const MIXING = 1.5;
/** Shapes of less than this share of the square lie by quarter turns only. */
const SMALL = 0.003;
/** It grows by so much where not all find a place, and is settled to this share. */
const GROWTH = 1.08;
const FINENESS = 0.01;

/**
 * Packs flat shapes by their outlines into a small square, the largest first, each at the angle at which its top stays
 * lowest; small ones find their place between large ones. At least one free cell stays between two of them and around.
 * The square's size is found with large cells, by several orders of the shapes, then settled with small ones.
 * O(angles · shapes · cells · rows of a shape) a try, most places being refused by one row.
 *
 * Idea: B. Lévy, S. Petitjean, N. Ray, J. Maillot (2002), Least squares conformal maps for automatic texture atlas generation
 * (packing by outlines); here the whole square is looked through, not only what lies above.
 * @param shapes triangles of each shape, six numbers each
 * @param cells cells along the square's edge, about
 */
export function packOutlines(shapes: readonly Float32Array[], cells: number): PackedOutlines {
  if (shapes.length === 0) return { side: 1, cell: 1, spots: [] };
  const cell = Math.sqrt(shapes.reduce((s, q) => s + areaOf(q), 0) / HOPED) / cells || 1;
  const coarse = new OutlinePacker(shapes, COARSE * cell);
  const { order, side } = coarse.bestOrder();
  const fine = new OutlinePacker(shapes, cell);
  return { cell, ...fine.smallest(order, Math.ceil(COARSE * side)) };
}

/** A shape turned by so many of `TURNS` parts of a whole turn, its least x and y being 0. */
export function turnedShape(q: Float32Array, turn: number): Float32Array {
  const angle = (2 * Math.PI * turn) / TURNS;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  const out = new Float32Array(q.length);
  let [left, low] = [Infinity, Infinity];
  for (let i = 0; i < q.length; i += 2) {
    out[i] = cos * q[i] - sin * q[i + 1];
    out[i + 1] = sin * q[i] + cos * q[i + 1];
    left = Math.min(left, out[i]);
    low = Math.min(low, out[i + 1]);
  }
  for (let i = 0; i < q.length; i += 2) {
    out[i] -= left;
    out[i + 1] -= low;
  }
  return out;
}

/** Shapes as masks at all angles. */
class OutlinePacker {
  private readonly masks: Mask[][];
  private readonly wide: Mask[][];

  constructor(shapes: readonly Float32Array[], cell: number) {
    this.masks = shapes.map((q) => Array.from({ length: TURNS }, (_, turn) => maskOf(turnedShape(q, turn), cell)));
    this.wide = this.masks.map((turned) => turned.map(widened));
  }

  /** The order that needs the smallest square: the largest first, shuffled more or less. */
  bestOrder(): { order: number[]; side: number } {
    const random = createRandom(1);
    const { masks } = this;
    const sorted = (key: (m: Mask) => number): number[] => {
      const keys = masks.map((m) => key(m[0]));
      return masks.map((_, i) => i).sort((a, b) => keys[b] - keys[a] || a - b);
    };
    let order = sorted((m) => m.count);
    let { side } = this.smallest(order, Infinity);
    const tries = Math.max(LEAST_TRIES, Math.min(MOST_TRIES, Math.round(SHAPES_TRIED / masks.length)));
    for (let i = 0; i < tries; i++) {
      const half = i % 2 ? 1 : 0.5;
      const other = sorted((m) => (m.count * m.width * m.height) ** (half / 2) * Math.exp(MIXING * (random() - 0.5)));
      for (let less = side - 1; this.layOut(other, less); less--) [order, side] = [other, less];
    }
    return { order, side };
  }

  /** About the smallest square that holds all. @param enough one that most likely does */
  smallest(list: readonly number[], enough: number): { side: number; spots: OutlineSpot[] } {
    const { masks } = this;
    const total = masks.reduce((s, m) => s + m[0].count, 0);
    // The shape that needs most, lying as it needs least.
    const largest = masks.reduce((s, m) => Math.max(s, Math.min(...m.map((t) => Math.max(t.width, t.height)))), 0);
    let low = Math.max(largest, Math.floor(Math.sqrt(total))) + 1;
    let side = Math.max(low + 1, Math.min(enough, Math.round(1.2 * low)));
    let spots = this.layOut(list, side);
    while (!spots) {
      low = side;
      side = Math.ceil(GROWTH * side) + 1;
      spots = this.layOut(list, side);
    }
    while (side - low > Math.max(1, FINENESS * side)) {
      const middle = Math.floor((low + side) / 2);
      const found = this.layOut(list, middle);
      if (found) [side, spots] = [middle, found];
      else low = middle;
    }
    return { side, spots };
  }

  /** @returns where each shape lies; undefined if not all find a place */
  private layOut(list: readonly number[], side: number): OutlineSpot[] | undefined {
    const board = new Board(side);
    const spots = new Array<OutlineSpot>(this.masks.length);
    for (const i of list) {
      let best: OutlineSpot | undefined;
      let top = Infinity;
      // Small shapes find a place anyway: a few angles do.
      const step = this.masks[i][0].count < SMALL * side * side ? TURNS / 4 : 1;
      this.wide[i].forEach((mask, turn) => {
        if (turn % step > 0) return;
        const found = board.lowest(mask, top);
        if (!found || found.y + mask.height >= top) return;
        top = found.y + mask.height;
        best = { x: found.x + 1, y: found.y + 1, turn };
      });
      if (!best) return undefined;
      // The widened mask begins one cell before the shape.
      board.put(this.masks[i][best.turn], best.x, best.y);
      spots[i] = best;
    }
    return spots;
  }
}

/** Cells that a shape touches: bits of 32 cells a word, row by row from below. */
interface Mask {
  width: number;
  height: number;
  words: number;
  bits: Uint32Array;
  count: number;
}

function emptyMask(width: number, height: number): Mask {
  const words = Math.ceil(width / 32);
  return { width, height, words, bits: new Uint32Array(words * height), count: 0 };
}

function set(mask: Mask, x: number, y: number): void {
  const at = y * mask.words + (x >> 5);
  const bit = 1 << (x & 31);
  if (mask.bits[at] & bit) return;
  mask.bits[at] |= bit;
  mask.count++;
}

const has = (mask: Mask, x: number, y: number): boolean =>
  (mask.bits[y * mask.words + (x >> 5)] & (1 << (x & 31))) !== 0;

function areaOf(q: Float32Array): number {
  let sum = 0;
  for (let t = 0; t < q.length; t += 6)
    sum += Math.abs((q[t + 2] - q[t]) * (q[t + 5] - q[t + 1]) - (q[t + 4] - q[t]) * (q[t + 3] - q[t + 1])) / 2;
  return sum;
}

function maskOf(q: Float32Array, cell: number): Mask {
  let width = 0;
  let height = 0;
  for (let i = 0; i < q.length; i += 2) {
    width = Math.max(width, q[i]);
    height = Math.max(height, q[i + 1]);
  }
  const mask = emptyMask(Math.floor(width / cell) + 1, Math.floor(height / cell) + 1);
  for (let t = 0; t < q.length; t += 6) {
    const ax = q[t] / cell;
    const ay = q[t + 1] / cell;
    const bx = q[t + 2] / cell;
    const by = q[t + 3] / cell;
    const cx = q[t + 4] / cell;
    const cy = q[t + 5] / cell;
    const x0 = Math.floor(Math.min(ax, bx, cx));
    const x1 = Math.floor(Math.max(ax, bx, cx));
    const y0 = Math.floor(Math.min(ay, by, cy));
    const y1 = Math.floor(Math.max(ay, by, cy));
    if (x0 === x1 && y0 === y1) {
      set(mask, x0, y0);
      continue;
    }
    const sign = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay) < 0 ? -1 : 1;
    for (let y = y0; y <= y1; y++) {
      for (let x = x0; x <= x1; x++) {
        if (
          reaches(ax, ay, bx, by, x, y, sign) &&
          reaches(bx, by, cx, cy, x, y, sign) &&
          reaches(cx, cy, ax, ay, x, y, sign)
        )
          set(mask, x, y);
      }
    }
  }
  return mask;
}

/** Whether some of a cell lies on the inner side of a line from a to b. */
function reaches(ax: number, ay: number, bx: number, by: number, x: number, y: number, sign: number): boolean {
  const nx = -(by - ay) * sign;
  const ny = (bx - ax) * sign;
  return nx * (x + 0.5 - ax) + ny * (y + 0.5 - ay) + (Math.abs(nx) + Math.abs(ny)) / 2 >= 0;
}

/** The mask with all cells around it, one larger on each side. */
function widened(mask: Mask): Mask {
  const out = emptyMask(mask.width + 2, mask.height + 2);
  for (let y = 0; y < mask.height; y++) {
    for (let x = 0; x < mask.width; x++) {
      if (!has(mask, x, y)) continue;
      for (let dy = 0; dy < 3; dy++) for (let dx = 0; dx < 3; dx++) set(out, x + dx, y + dy);
    }
  }
  return out;
}

/** The square that shapes are laid on. */
class Board {
  private readonly words: number;
  private readonly bits: Uint32Array;
  private busyRow = 0;

  constructor(private readonly side: number) {
    this.words = Math.ceil(side / 32) + 1;
    this.bits = new Uint32Array(this.words * side);
  }

  /** The lowest place (then leftmost) where a mask is free, its top below `top`. */
  lowest(mask: Mask, top: number): { x: number; y: number } | undefined {
    const lastY = Math.min(this.side, top - 1) - mask.height;
    for (let y = 0; y <= lastY; y++)
      for (let x = 0; x <= this.side - mask.width; x++) if (this.isFree(mask, x, y)) return { x, y };
    return undefined;
  }

  put(mask: Mask, x: number, y: number): void {
    for (let r = 0; r < mask.height; r++) {
      for (let c = 0; c < mask.width; c++)
        if (has(mask, c, r)) this.bits[(y + r) * this.words + ((x + c) >> 5)] |= 1 << ((x + c) & 31);
    }
  }

  private isFree(mask: Mask, x: number, y: number): boolean {
    const { bits, words } = this;
    const shift = x & 31;
    const first = x >> 5;
    // What kept the last place from being free most likely keeps this one too.
    let r = this.busyRow < mask.height ? this.busyRow : 0;
    for (let tried = 0; tried < mask.height; tried++, r = r + 1 < mask.height ? r + 1 : 0) {
      const row = (y + r) * words + first;
      const own = r * mask.words;
      for (let w = 0; w < mask.words; w++) {
        const m = mask.bits[own + w];
        if (m === 0) continue;
        if (bits[row + w] & (m << shift) || (shift && bits[row + w + 1] & (m >>> (32 - shift)))) {
          this.busyRow = r;
          return false;
        }
      }
    }
    return true;
  }
}
