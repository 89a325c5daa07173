import { GeometryError } from '../runtime/geometry-error.js';
import { packOutlines, turnedShape } from './pack-outlines.js';

export interface UnwrapOptions {
  /** Edge of the square map, pixels. */
  mapSize: number;
  /** Pixels between islands and to the border. */
  gap: number;
}

export const UNWRAP_DEFAULTS: UnwrapOptions = { mapSize: 2048, gap: 4 };

/** Charts laid flat, each in a plane of its own. */
export interface FlatCharts {
  count: number;
  /** Per corner two coordinates in mm in its chart's plane (6m). */
  plane: Float32Array;
}

/** Most cells along the map's edge that charts are packed by. */
const MOST_CELLS = 512;
const FEWEST_CELLS = 48;

/**
 * Turns each chart to its smallest box, packs them by their outlines and scales all alike. No chart is mirrored: on the map, U to the right and V up, triangles run the same way round as on the surface.
 * @throws GeometryError `too-large` if the charts don't fit even at a very small scale
 */
export function placeCharts(
  flat: FlatCharts,
  chart: Int32Array,
  o: UnwrapOptions,
  m: number,
): { cornerPixels: Float32Array; density: number; coverage: number } {
  const trianglesOf: number[][] = Array.from({ length: flat.count }, () => []);
  for (let t = 0; t < m; t++) trianglesOf[chart[t]].push(t);
  const shapes = trianglesOf.map((triangles) => turnedToBox(flat.plane, triangles));
  // A cell is wider than the gap: one free cell between two charts keeps it.
  const cells = Math.max(FEWEST_CELLS, Math.min(MOST_CELLS, Math.floor(o.mapSize / (o.gap + 1))));
  const { side, cell, spots } = packOutlines(shapes, cells);
  const inner = o.mapSize - 2 * o.gap;
  const density = inner / (side * cell);
  if (!(cell * density > 1)) {
    throw new GeometryError(
      'too-large',
      `${flat.count} charts do not fit on a map of ${o.mapSize} pixels. Choose a larger map or a lighter mesh.`,
    );
  }
  const cornerPixels = new Float32Array(6 * m);
  let area = 0;
  trianglesOf.forEach((triangles, c) => {
    const { x, y, turn } = spots[c];
    const q = turnedShape(shapes[c], turn);
    triangles.forEach((t, i) => {
      for (let k = 0; k < 6; k += 2) {
        cornerPixels[6 * t + k] = o.gap + (x * cell + q[6 * i + k]) * density;
        // Rows of the map run downwards.
        cornerPixels[6 * t + k + 1] = o.mapSize - o.gap - (y * cell + q[6 * i + k + 1]) * density;
      }
      const p = cornerPixels.subarray(6 * t, 6 * t + 6);
      area += Math.abs((p[2] - p[0]) * (p[5] - p[1]) - (p[4] - p[0]) * (p[3] - p[1])) / 2;
    });
  });
  return { cornerPixels, density, coverage: area / o.mapSize ** 2 };
}

/** A chart's triangles, turned so that their box is smallest, its lower left corner at the origin. */
function turnedToBox(plane: Float32Array, triangles: number[]): Float32Array {
  let best = Infinity;
  let angle = 0;
  let low: [number, number] = [0, 0];
  for (let step = 0; step < 12; step++) {
    const turn = (step * Math.PI) / 24;
    const box = boxOf(plane, triangles, turn);
    const area = (box[2] - box[0]) * (box[3] - box[1]);
    if (area >= best) continue;
    best = area;
    angle = turn;
    low = [box[0], box[1]];
  }
  const cos = Math.cos(angle);
  const sin = Math.sin(angle);
  const out = new Float32Array(6 * triangles.length);
  triangles.forEach((t, i) => {
    for (let k = 0; k < 6; k += 2) {
      out[6 * i + k] = Math.max(0, cos * plane[6 * t + k] - sin * plane[6 * t + k + 1] - low[0]);
      out[6 * i + k + 1] = Math.max(0, sin * plane[6 * t + k] + cos * plane[6 * t + k + 1] - low[1]);
    }
  });
  return out;
}

function boxOf(plane: Float32Array, triangles: number[], angle: number): [number, number, number, number] {
  const cos = Math.cos(angle);
  const sin = Math.sin(angle);
  const box: [number, number, number, number] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const t of triangles) {
    for (let k = 0; k < 6; k += 2) {
      const x = cos * plane[6 * t + k] - sin * plane[6 * t + k + 1];
      const y = sin * plane[6 * t + k] + cos * plane[6 * t + k + 1];
      if (x < box[0]) box[0] = x;
      if (x > box[2]) box[2] = x;
      if (y < box[1]) box[1] = y;
      if (y > box[3]) box[3] = y;
    }
  }
  return box;
}
