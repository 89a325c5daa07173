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
  const margin = visibleOnly ? Math.max(1, Math.ceil(CELL_SPACINGS * pixelsOfSpacing(clouds, view))) : 0;
  const shown = clouds.map((c) => project(c, view, region, margin));
  const depths = visibleOnly ? hidingDepths(shown, region, margin) : undefined;
  const wide = widened(region, margin);
  return clouds.map(({ present, spacing }, k) => {
    const { pixel, depth } = shown[k];
    const out = new BitSet(present.size);
    const tolerance = DEPTH_TOLERANCE * spacing;
    for (let i = 0; i < pixel.length; i++) {
      const at = pixel[i];
      if (at < 0 || wide[at] === 0) continue;
      if (depths === undefined || depth[i] - tolerance <= depths.hiding[depths.cellOf[at]]) out.add(i);
    }
    return out;
  });
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
  { clipFromView, width, height }: ScreenView,
  region: ScreenRegion,
  margin: number,
): ProjectedPoints {
  const n = present.size;
  const pixel = new Int32Array(n);
  const depth = new Float32Array(n);
  const m = multiply(clipFromView, viewFromScan);
  // Rows of the matrix that give pixels (times w), y downwards, counted from the region's edge; and the row of w.
  const a = width / 2;
  const b = height / 2;
  const left = a - region.x0 + margin;
  const top = b - region.y0 + margin;
  const x0 = a * m[0] + left * m[3];
  const x1 = a * m[4] + left * m[7];
  const x2 = a * m[8] + left * m[11];
  const x3 = a * m[12] + left * m[15];
  const y0 = top * m[3] - b * m[1];
  const y1 = top * m[7] - b * m[5];
  const y2 = top * m[11] - b * m[9];
  const y3 = top * m[15] - b * m[13];
  const [w0, w1, w2, w3] = [m[3], m[7], m[11], m[15]];
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
