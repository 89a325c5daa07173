import type { ColorReader } from '../geometry/surface-colors.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { cross3, normalize3, type Vec3 } from '../math/mat4.js';

/** Cells along a patch's edge at most. */
const MOST_CELLS = 512;

/** What a patch is made of: triangles about a place. */
export interface PatchGround {
  mesh: TriangleMesh;
  triangles: readonly number[];
  middle: ArrayLike<number>;
  normal: ArrayLike<number>;
}

/**
 * The surface about a place laid onto its tangent plane: what colour it has so far to the right and so far up. Places far round
 * the bend come short; brushes are small against the bends of what they are used on.
 */
export class TangentPatch {
  private readonly cells: number;
  private readonly cell: number;
  private readonly triangleAt: Int32Array;
  private readonly middle: Vec3;
  private readonly corners = new Float64Array(6);
  readonly up: Vec3;

  /**
   * @param right unit vector in the tangent plane
   * @param radius how far the patch reaches, mm
   * @param step wanted width of a cell, mm
   */
  constructor(
    private readonly ground: PatchGround,
    readonly right: Vec3,
    private readonly radius: number,
    step: number,
    private readonly read: ColorReader,
  ) {
    this.middle = [ground.middle[0], ground.middle[1], ground.middle[2]];
    this.up = normalize3(cross3(ground.normal, right));
    this.cells = Math.max(3, Math.min(MOST_CELLS, Math.ceil((2 * radius) / step)));
    this.cell = (2 * radius) / this.cells;
    this.triangleAt = new Int32Array(this.cells * this.cells).fill(-1);
    for (const t of ground.triangles) this.lay(t);
  }

  /** Adds the light at so many mm to the right and up to `out`. @returns false where the patch has no surface */
  addLight(a: number, b: number, out: Float64Array): boolean {
    const t = this.triangleNear((a + this.radius) / this.cell, (b + this.radius) / this.cell);
    if (t < 0) return false;
    this.flatten(t);
    const [x0, y0, x1, y1, x2, y2] = this.corners;
    const area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0);
    if (area === 0) return false;
    const v = Math.max(0, Math.min(1, ((a - x0) * (y2 - y0) - (x2 - x0) * (b - y0)) / area));
    const w = Math.max(0, Math.min(1 - v, ((x1 - x0) * (b - y0) - (a - x0) * (y1 - y0)) / area));
    this.read(t, v, w, out);
    return true;
  }

  /** The patch's colours blurred by a Gaussian of so many mm, as a reader of the same places. */
  blurred(sigma: number): (a: number, b: number, out: Float64Array) => boolean {
    const { cells, cell, radius } = this;
    let light = new Float32Array(4 * cells * cells);
    const rgb = new Float64Array(3);
    for (let y = 0; y < cells; y++)
      for (let x = 0; x < cells; x++) {
        rgb.fill(0);
        if (!this.addLight((x + 0.5) * cell - radius, (y + 0.5) * cell - radius, rgb)) continue;
        light.set([rgb[0], rgb[1], rgb[2], 1], 4 * (y * cells + x));
      }
    light = blurAlong(light, cells, sigma / cell, 1);
    light = blurAlong(light, cells, sigma / cell, cells);
    return (a, b, out) => {
      const x = Math.max(0, Math.min(cells - 1.001, (a + radius) / cell - 0.5));
      const y = Math.max(0, Math.min(cells - 1.001, (b + radius) / cell - 0.5));
      const at = Math.floor(y) * cells + Math.floor(x);
      const [fx, fy] = [x - Math.floor(x), y - Math.floor(y)];
      const mix = (k: number): number =>
        (1 - fy) * ((1 - fx) * light[4 * at + k] + fx * light[4 * (at + 1) + k]) +
        fy * ((1 - fx) * light[4 * (at + cells) + k] + fx * light[4 * (at + cells + 1) + k]);
      const weight = mix(3);
      if (!(weight > 1e-6)) return false;
      for (let k = 0; k < 3; k++) out[k] = mix(k) / weight;
      return true;
    };
  }

  /** Writes how far the corners of a triangle lie to the right and up of the middle, mm, to `corners`. */
  private flatten(t: number): void {
    const { middle, right, up, corners } = this;
    const { positions: p, indices } = this.ground.mesh;
    for (let c = 0; c < 3; c++) {
      const v = 3 * indices[3 * t + c];
      const x = p[v] - middle[0];
      const y = p[v + 1] - middle[1];
      const z = p[v + 2] - middle[2];
      corners[2 * c] = x * right[0] + y * right[1] + z * right[2];
      corners[2 * c + 1] = x * up[0] + y * up[1] + z * up[2];
    }
  }

  private lay(t: number): void {
    const { cells, cell, radius, corners, triangleAt } = this;
    this.flatten(t);
    for (let k = 0; k < 6; k++) corners[k] = (corners[k] + radius) / cell;
    const [x0, y0, x1, y1, x2, y2] = corners;
    // What shows its back to the plane lies behind.
    if (!((x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0) > 0)) return;
    const left = Math.max(0, Math.floor(Math.min(x0, x1, x2) - 0.5));
    const end = Math.min(cells - 1, Math.ceil(Math.max(x0, x1, x2) - 0.5));
    const low = Math.max(0, Math.floor(Math.min(y0, y1, y2) - 0.5));
    const high = Math.min(cells - 1, Math.ceil(Math.max(y0, y1, y2) - 0.5));
    for (let y = low; y <= high; y++)
      for (let x = left; x <= end; x++) {
        const px = x + 0.5;
        const py = y + 0.5;
        if ((x1 - x0) * (py - y0) - (px - x0) * (y1 - y0) < 0) continue;
        if ((x2 - x1) * (py - y1) - (px - x1) * (y2 - y1) < 0) continue;
        if ((x0 - x2) * (py - y2) - (px - x2) * (y0 - y2) < 0) continue;
        triangleAt[y * cells + x] = t;
      }
  }

  /** The triangle at a place in cells, or in one of the cells next to it. */
  private triangleNear(x: number, y: number): number {
    const { cells, triangleAt } = this;
    const [cx, cy] = [Math.floor(x), Math.floor(y)];
    if (!(cx >= 0 && cy >= 0 && cx < cells && cy < cells)) return -1;
    const own = triangleAt[cy * cells + cx];
    if (own >= 0) return own;
    for (let dy = -1; dy <= 1; dy++)
      for (let dx = -1; dx <= 1; dx++) {
        const [nx, ny] = [cx + dx, cy + dy];
        if (nx < 0 || ny < 0 || nx >= cells || ny >= cells) continue;
        if (triangleAt[ny * cells + nx] >= 0) return triangleAt[ny * cells + nx];
      }
    return -1;
  }
}

/** Blurs weighted colours along rows (stride 1) or columns of a square. */
function blurAlong(from: Float32Array, cells: number, sigma: number, stride: number): Float32Array<ArrayBuffer> {
  const reach = Math.max(1, Math.ceil(2.5 * sigma));
  const kernel = Float64Array.from({ length: reach + 1 }, (_, i) => Math.exp((-i * i) / (2 * sigma * sigma)));
  const out = new Float32Array(from.length);
  const line = cells * (stride === 1 ? cells : 1);
  const across = stride === 1 ? cells : 1;
  for (let start = 0; start < line; start += across)
    for (let i = 0; i < cells; i++) {
      const to = 4 * (start + i * stride);
      for (let j = Math.max(0, i - reach); j <= Math.min(cells - 1, i + reach); j++) {
        const w = kernel[Math.abs(i - j)];
        const at = 4 * (start + j * stride);
        for (let k = 0; k < 4; k++) out[to + k] += w * from[at + k];
      }
    }
  return out;
}
