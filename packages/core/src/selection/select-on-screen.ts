import { BitSet } from '../geometry/bit-set.js';
import { multiply, type Mat4 } from '../math/mat4.js';
import type { ScreenRegion } from './screen-region.js';
import type { SelectableCloud } from './selectable-cloud.js';

/** The picture that is selected on. */
export interface ScreenView {
  /** Projection times view: to clip space, as in OpenGL and WebGL; column-major. */
  clipFromView: Mat4;
  /** Pixels. */
  width: number;
  height: number;
}

/**
 * Points whose place in the picture lies inside a region, for each cloud.
 *
 * With `visibleOnly` a point counts only if nothing lies in front of it: the picture is divided into cells a few
 * point spacings wide, the nearest point of each cell and its neighbours hides what lies more than a few spacings
 * behind it (a depth buffer of splats; cf. M. Botsch, A. Hornung, M. Zwicker, L. Kobbelt, 2005, High-Quality Surface
 * Splatting on Today's GPUs). All clouds hide one another. O(points).
 */
export function selectOnScreen(
  clouds: readonly SelectableCloud[],
  view: ScreenView,
  region: ScreenRegion,
  visibleOnly: boolean,
): BitSet[] {
  if (!visibleOnly) return clouds.map((c) => inRegion(c, view, region));
  const { spacing, pixels } = sparsest(clouds, view);
  const cells = depthCells(region, Math.max(1, Math.ceil(CELL_SPACINGS * pixels)));
  // Cells are whole pixels, so they may be wider than they need be: then one in so many points fills them.
  const wider = pixels > 0 ? cells.cell / (CELL_SPACINGS * pixels) : 1;
  const step = Math.max(1, Math.min(MOST_STEP, Math.floor(wider ** 2)));
  for (const c of clouds) enterDepths(c, view, region, cells, step);
  const front = { ...cells, hiding: hidingDepths(cells), tolerance: DEPTH_TOLERANCE * spacing * wider };
  return clouds.map((c) => inRegion(c, view, region, front));
}

/** Points that appear inside a region; those that something hides too, unless it is given what hides. */
function inRegion(
  { positions: p, present, viewFromScan }: SelectableCloud,
  view: ScreenView,
  region: ScreenRegion,
  front?: DepthCells & { hiding: Float32Array; tolerance: number },
): BitSet {
  const n = present.size;
  const out = new BitSet(n);
  const { width, height, mask } = region;
  const { bytes } = present;
  const found = out.bytes;
  const [x0, x1, x2, x3, y0, y1, y2, y3, w0, w1, w2, w3] = pixelRows(view, viewFromScan, region, 0);
  for (let i = 0, j = 0; i < n; i++, j += 3) {
    const x = p[j];
    const y = p[j + 1];
    const z = p[j + 2];
    const w = w0 * x + w1 * y + w2 * z + w3;
    if (!(w > 0)) continue;
    const column = Math.floor((x0 * x + x1 * y + x2 * z + x3) / w);
    if (!(column >= 0 && column < width)) continue;
    const row = Math.floor((y0 * x + y1 * y + y2 * z + y3) / w);
    if (!(row >= 0 && row < height) || mask[row * width + column] === 0) continue;
    if (
      front &&
      w - front.tolerance > front.hiding[front.ofLine[row + front.cell] + front.ofColumn[column + front.cell]]
    ) {
      continue;
    }
    found[i >> 3] |= bytes[i >> 3] & (1 << (i & 7));
  }
  return out;
}

/** How far behind what hides a point is still taken to lie on the same surface, in halves of a cell's width. */
const DEPTH_TOLERANCE = 4;
/** Width of a depth cell in spacings of the sparsest cloud: wide enough that a surface leaves no cell empty. */
const CELL_SPACINGS = 2;
/** At least one in so many points is entered in the depths: neighbours in a file may be neighbours on the object. */
const MOST_STEP = 4;

/** A coarse picture of a region and a margin of one cell around it, for the depths of what is nearest. */
interface DepthCells {
  /** Width of a cell and of the margin, pixels. */
  cell: number;
  columns: number;
  rows: number;
  /** Column of cells by pixel column, and first cell of a row by pixel line, both counted from the margin's edge. */
  ofColumn: Int32Array;
  ofLine: Int32Array;
  /** Depth of the nearest point of each cell. */
  nearest: Float32Array;
}

function depthCells({ width, height }: ScreenRegion, cell: number): DepthCells {
  const [across, down] = [width + 2 * cell, height + 2 * cell];
  const columns = Math.ceil(across / cell);
  const rows = Math.ceil(down / cell);
  return {
    cell,
    columns,
    rows,
    ofColumn: Int32Array.from({ length: across }, (_, x) => Math.floor(x / cell)),
    ofLine: Int32Array.from({ length: down }, (_, y) => Math.floor(y / cell) * columns),
    nearest: new Float32Array(columns * rows).fill(Infinity),
  };
}

/** Enters every `step`th point of a cloud that appears in a region or its margin in the depth cells. */
function enterDepths(
  { positions: p, present, viewFromScan }: SelectableCloud,
  view: ScreenView,
  region: ScreenRegion,
  { cell: margin, ofColumn, ofLine, nearest }: DepthCells,
  step: number,
): void {
  const [x0, x1, x2, x3, y0, y1, y2, y3, w0, w1, w2, w3] = pixelRows(view, viewFromScan, region, margin);
  const across = ofColumn.length;
  const down = ofLine.length;
  const { bytes } = present;
  for (let i = 0; i < present.size; i += step) {
    if ((bytes[i >> 3] & (1 << (i & 7))) === 0) continue;
    const x = p[3 * i];
    const y = p[3 * i + 1];
    const z = p[3 * i + 2];
    const w = w0 * x + w1 * y + w2 * z + w3;
    if (!(w > 0)) continue;
    const column = Math.floor((x0 * x + x1 * y + x2 * z + x3) / w);
    if (!(column >= 0 && column < across)) continue;
    const line = Math.floor((y0 * x + y1 * y + y2 * z + y3) / w);
    if (!(line >= 0 && line < down)) continue;
    const c = ofLine[line] + ofColumn[column];
    if (w < nearest[c]) nearest[c] = w;
  }
}

/**
 * What hides in each cell. On a steep surface nearer points share a cell, but never the cells on its far side: what hides
 * must be nearer in more than six of the nine cells around.
 */
function hidingDepths({ columns, rows, nearest }: DepthCells): Float32Array {
  const hiding = new Float32Array(nearest.length).fill(Infinity);
  for (let r = 1; r < rows - 1; r++) {
    for (let at = r * columns + 1; at < (r + 1) * columns - 1; at++) {
      // The third farthest of the nine.
      let first = -Infinity;
      let second = -Infinity;
      let third = -Infinity;
      for (let row = at - columns; row <= at + columns; row += columns) {
        for (let c = row - 1; c <= row + 1; c++) {
          const d = nearest[c];
          if (d <= third) continue;
          if (d > first) {
            third = second;
            second = first;
            first = d;
          } else if (d > second) {
            third = second;
            second = d;
          } else third = d;
        }
      }
      hiding[at] = third;
    }
  }
  return hiding;
}

/** Spacing of the cloud that is sparsest in the picture, mm and in pixels where its first points (an even sample) lie. */
function sparsest(clouds: readonly SelectableCloud[], view: ScreenView): { spacing: number; pixels: number } {
  let most = { spacing: 0, pixels: 0 };
  clouds.forEach(({ positions: p, spacing, viewFromScan }) => {
    const m = multiply(view.clipFromView, viewFromScan);
    const depths: number[] = [];
    for (let j = 0; j < Math.min(p.length, 300); j += 3) {
      const w = m[3] * p[j] + m[7] * p[j + 1] + m[11] * p[j + 2] + m[15];
      if (w > 0) depths.push(w);
    }
    if (depths.length === 0) return;
    const w = depths.sort((a, b) => a - b)[depths.length >> 1];
    // The scan is placed rigidly, so the first row's length is the projection's scale.
    const pixels = (spacing * Math.hypot(m[0], m[4], m[8]) * view.width) / (2 * w);
    if (pixels > most.pixels) most = { spacing, pixels };
  });
  return most;
}

/**
 * Rows of the matrix from a scan to the picture: columns and lines of pixels (times w, y downwards), counted from the
 * edge of a region with a margin, and w itself, the distance along the viewing direction.
 */
function pixelRows(
  { clipFromView, width, height }: ScreenView,
  viewFromScan: Mat4,
  region: ScreenRegion,
  margin: number,
): Float64Array {
  const m = multiply(clipFromView, viewFromScan);
  const left = width / 2 - region.x0 + margin;
  const top = height / 2 - region.y0 + margin;
  const out = new Float64Array(12);
  for (let k = 0; k < 4; k++) {
    out[k] = (width / 2) * m[4 * k] + left * m[4 * k + 3];
    out[4 + k] = top * m[4 * k + 3] - (height / 2) * m[4 * k + 1];
    out[8 + k] = m[4 * k + 3];
  }
  return out;
}
