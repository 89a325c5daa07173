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
  const margin = Math.max(1, Math.ceil(CELL_SPACINGS * pixelsOfSpacing(clouds, view)));
  const shown = clouds.map((c) => project(c, view, region, margin));
  const { cellOf, hiding } = hidingDepths(shown, region, margin);
  const wide = widened(region, margin);
  return clouds.map(({ present, spacing }, k) => {
    const { pixel, depth } = shown[k];
    const out = new BitSet(present.size);
    const tolerance = DEPTH_TOLERANCE * spacing;
    for (let i = 0; i < pixel.length; i++) {
      const at = pixel[i];
      if (at >= 0 && wide[at] !== 0 && depth[i] - tolerance <= hiding[cellOf[at]]) out.add(i);
    }
    return out;
  });
}

/** Points that appear inside a region, hidden or not. */
function inRegion(
  { positions: p, present, viewFromScan }: SelectableCloud,
  view: ScreenView,
  region: ScreenRegion,
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
    found[i >> 3] |= bytes[i >> 3] & (1 << (i & 7));
  }
  return out;
}

/** A region's mask with an empty margin around it. */
function widened({ width, height, mask }: ScreenRegion, margin: number): Uint8Array {
  const across = width + 2 * margin;
  const out = new Uint8Array(across * (height + 2 * margin));
  for (let y = 0; y < height; y++) out.set(mask.subarray(y * width, (y + 1) * width), (y + margin) * across + margin);
  return out;
}

/** Where the points of a cloud appear in a region and a margin around it. */
interface ProjectedPoints {
  /** Number of the pixel, counted in the region with its margin; -1 outside, behind the camera, or cut away. */
  pixel: Int32Array;
  /** Distance along the viewing direction. */
  depth: Float32Array;
}

function project(
  { positions: p, present, viewFromScan }: SelectableCloud,
  view: ScreenView,
  region: ScreenRegion,
  margin: number,
): ProjectedPoints {
  const n = present.size;
  const pixel = new Int32Array(n);
  const depth = new Float32Array(n);
  const [x0, x1, x2, x3, y0, y1, y2, y3, w0, w1, w2, w3] = pixelRows(view, viewFromScan, region, margin);
  const across = region.width + 2 * margin;
  const down = region.height + 2 * margin;
  const { bytes } = present;
  for (let i = 0, j = 0; i < n; i++, j += 3) {
    pixel[i] = -1;
    if ((bytes[i >> 3] & (1 << (i & 7))) === 0) continue;
    const x = p[j];
    const y = p[j + 1];
    const z = p[j + 2];
    const w = w0 * x + w1 * y + w2 * z + w3;
    if (!(w > 0)) continue;
    const column = Math.floor((x0 * x + x1 * y + x2 * z + x3) / w);
    if (!(column >= 0 && column < across)) continue;
    const row = Math.floor((y0 * x + y1 * y + y2 * z + y3) / w);
    if (!(row >= 0 && row < down)) continue;
    pixel[i] = row * across + column;
    depth[i] = w;
  }
  return { pixel, depth };
}

/** How many spacings behind the nearest point one is still taken to lie on the same surface. */
const DEPTH_TOLERANCE = 4;
/** Width of a depth cell in spacings of the sparsest cloud: wide enough that a surface leaves no cell empty. */
const CELL_SPACINGS = 2;

/**
 * What hides in cells of `cell` pixels over a region and a margin of one cell. On a steep surface nearer points share a
 * cell, but never the cells on its far side: what hides must be nearer in more than six of the nine cells around.
 */
function hidingDepths(
  shown: readonly ProjectedPoints[],
  region: ScreenRegion,
  cell: number,
): { cellOf: Int32Array; hiding: Float32Array } {
  const across = region.width + 2 * cell;
  const down = region.height + 2 * cell;
  const columns = Math.ceil(across / cell);
  const rows = Math.ceil(down / cell);
  const cellOf = new Int32Array(across * down);
  for (let y = 0, at = 0; y < down; y++)
    for (let x = 0; x < across; x++) cellOf[at++] = Math.floor(y / cell) * columns + Math.floor(x / cell);
  const nearest = new Float32Array(columns * rows).fill(Infinity);
  for (const { pixel, depth } of shown) {
    for (let i = 0; i < pixel.length; i++) {
      if (pixel[i] < 0) continue;
      const c = cellOf[pixel[i]];
      if (depth[i] < nearest[c]) nearest[c] = depth[i];
    }
  }
  const hiding = new Float32Array(nearest.length).fill(Infinity);
  const nine = new Float32Array(9);
  for (let r = 1; r < rows - 1; r++) {
    for (let c = 1; c < columns - 1; c++) {
      for (let k = 0; k < 9; k++) nine[k] = nearest[(r + Math.floor(k / 3) - 1) * columns + c + (k % 3) - 1];
      hiding[r * columns + c] = nine.sort()[6];
    }
  }
  return { cellOf, hiding };
}

/** Spacing of the sparsest cloud in pixels where its first points (an even sample) lie. */
function pixelsOfSpacing(clouds: readonly SelectableCloud[], view: ScreenView): number {
  let most = 0;
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
    most = Math.max(most, (spacing * Math.hypot(m[0], m[4], m[8]) * view.width) / (2 * w));
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
