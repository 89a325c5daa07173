/** Where an outline lies: its lower left corner in cells, after so many quarter turns to the left. */
export interface OutlineSpot {
  x: number;
  y: number;
  turns: number;
}

export interface PackedOutlines {
  /** Edge of the square that holds all, cells. */
  side: number;
  /** Edge of a cell, in the outlines' unit. */
  cell: number;
  spots: OutlineSpot[];
}

/** Share of the square that is hoped for; only the size of cells follows from it. */
const HOPED = 0.72;

/**
 * Packs flat shapes by their outlines into a small square, the largest first, each where it lies lowest, turned by quarters; small
 * ones find their place between large ones. At least one free cell stays between two of them and around.
 * O(shapes · cells · rows of a shape), most places being refused by their first row.
 *
 * Idea: B. Lévy, S. Petitjean, N. Ray, J. Maillot (2002), Least squares conformal maps for automatic texture atlas generation
 * (packing by outlines); here the whole square is looked through, not only what lies above.
 * @param shapes triangles of each shape, six numbers each, the least x and y being 0
 * @param cells cells along the square's edge, about
 */
export function packOutlines(shapes: readonly Float32Array[], cells: number): PackedOutlines {
  const cell = Math.sqrt(shapes.reduce((s, q) => s + areaOf(q), 0) / HOPED) / cells || 1;
  const masks = shapes.map((q) => maskOf(q, cell));
  const order = shapes.map((_, i) => i).sort((a, b) => masks[b].count - masks[a].count || a - b);
  const spots: OutlineSpot[] = new Array(shapes.length);
  const total = masks.reduce((s, m) => s + m.count, 0);
  const largest = masks.reduce((s, m) => Math.max(s, m.width, m.height), 0);
  const board = new Board(Math.max(largest + 2, Math.ceil(1.02 * Math.sqrt(total)) + 2));
  for (const i of order) {
    const turned = [masks[i]];
    for (let k = 1; k < 4; k++) turned.push(quarterTurn(turned[k - 1]));
    const wide = turned.map(widened);
    for (;;) {
      let best: OutlineSpot | undefined;
      let top = Infinity;
      for (let turns = 0; turns < 4; turns++) {
        const found = board.lowest(wide[turns], top);
        if (!found || found.y + wide[turns].height >= top) continue;
        top = found.y + wide[turns].height;
        best = { x: found.x, y: found.y, turns };
      }
      if (best) {
        // The widened mask begins one cell before the shape.
        board.put(turned[best.turns], best.x + 1, best.y + 1);
        spots[i] = { x: best.x + 1, y: best.y + 1, turns: best.turns };
        break;
      }
      board.grow(Math.max(1, Math.round(board.side / 120)));
    }
  }
  return { side: board.side, cell, spots };
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
    const [ax, ay, bx, by, cx, cy] = [0, 1, 2, 3, 4, 5].map((k) => q[t + k] / cell);
    const sign = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay) < 0 ? -1 : 1;
    const x1 = Math.floor(Math.max(ax, bx, cx));
    const y1 = Math.floor(Math.max(ay, by, cy));
    for (let y = Math.floor(Math.min(ay, by, cy)); y <= y1; y++) {
      for (let x = Math.floor(Math.min(ax, bx, cx)); x <= x1; x++) {
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

function quarterTurn(mask: Mask): Mask {
  const out = emptyMask(mask.height, mask.width);
  for (let y = 0; y < mask.height; y++)
    for (let x = 0; x < mask.width; x++) if (has(mask, x, y)) set(out, mask.height - 1 - y, x);
  return out;
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
  private words: number;
  private bits: Uint32Array;

  constructor(public side: number) {
    this.words = Math.ceil(side / 32) + 1;
    this.bits = new Uint32Array(this.words * side);
  }

  grow(by: number): void {
    const side = this.side + by;
    const words = Math.ceil(side / 32) + 1;
    const bits = new Uint32Array(words * side);
    for (let y = 0; y < this.side; y++) bits.set(this.bits.subarray(y * this.words, (y + 1) * this.words), y * words);
    this.side = side;
    this.words = words;
    this.bits = bits;
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
    for (let r = 0; r < mask.height; r++) {
      const row = (y + r) * words + first;
      const own = r * mask.words;
      for (let w = 0; w < mask.words; w++) {
        const m = mask.bits[own + w];
        if (m === 0) continue;
        if (bits[row + w] & (m << shift)) return false;
        if (shift && bits[row + w + 1] & (m >>> (32 - shift))) return false;
      }
    }
    return true;
  }
}
