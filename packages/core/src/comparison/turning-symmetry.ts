import { deltaE2000, labOfLight } from '../geometry/cie-lab.js';
import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { colorReader } from '../geometry/surface-colors.js';
import type { TexturedMesh, TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import { sampleSurface } from './sample-surface.js';

/** Turns about the upright axis that bring a surface onto itself. */
export interface TurningSymmetry {
  /** So many turns make one round, by shape alone: 1 where none but the whole does, Infinity for a body of revolution. */
  shape: number;
  /** The same by shape and colours together; equal to `shape` for a surface without colours. */
  look: number;
  /** Where the axis stands, mm. */
  axis: [x: number, y: number];
}

/** Places that are asked. */
const PLACES = 1500;
/** The highest order that is told from a body of revolution. */
const HIGHEST = 36;
/** A turn that brings nine places in ten this near to the surface, as a share of its diagonal, is not seen (no source). */
const SAME_SHAPE = 0.01;
const NINE_IN_TEN = 0.9;
/** Two colours that differ by more (ΔE2000) are told apart at a glance (common practice, no source) … */
const OTHER_COLOR = 10;
/** … and a turn that changes so many of them is seen. */
const SEEN_CHANGES = 0.03;
/** A body of revolution stands every turn, also this one, which no order has (radians). */
const ODD_TURN = 1;

/**
 * Finds out by which turns about the upright axis through its middle a surface looks the same: what a camera that sees it can
 * never tell. Up is Z. O(places · order²) looks at most, few where there is no symmetry.
 */
export function turningSymmetry(mesh: TriangleMesh | TexturedMesh, ctx: RunContext): TurningSymmetry {
  // A surface without triangles has nothing to turn.
  if (mesh.indices.length === 0) return { shape: 1, look: 1, axis: [0, 0] };
  const bvh = new TriangleBvh(mesh);
  const { positions: p } = sampleSurface(mesh, PLACES, ctx.random);
  const n = PLACES;
  let [x0, y0] = [0, 0];
  for (let i = 0; i < n; i++) {
    x0 += p[3 * i] / n;
    y0 += p[3 * i + 1] / n;
  }
  const hasColors = 'cornerUvs' in mesh || mesh.colors !== undefined;
  const colors = hasColors ? new SurfaceLabs(mesh) : undefined;
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  // Each place as the surface has it: what a turn is compared with.
  const own = Array.from({ length: hasColors ? n : 0 }, (_, i) => {
    bvh.closest(p[3 * i], p[3 * i + 1], p[3 * i + 2], Infinity, hit);
    return colors!.at(hit);
  });
  const within = SAME_SHAPE * diagonalOf(boundsOf(mesh.positions));
  const known = new Map<number, { shape: boolean; look: boolean }>();
  const after = (angle: number): { shape: boolean; look: boolean } => {
    const key = Math.round(angle * 1e6);
    const before = known.get(key);
    if (before) return before;
    let off = 0;
    let changed = 0;
    for (let i = 0; i < n && off <= (1 - NINE_IN_TEN) * n; i++) {
      const [x, y, z] = [p[3 * i] - x0, p[3 * i + 1] - y0, p[3 * i + 2]];
      const meets = (by: number): boolean =>
        bvh.closest(x0 + Math.cos(by) * x - Math.sin(by) * y, y0 + Math.sin(by) * x + Math.cos(by) * y, z, within, hit);
      const differs = (by: number): boolean =>
        colors !== undefined && meets(by) && deltaE2000(own[i], colors.at(hit)) > OTHER_COLOR;
      if (!meets(angle)) off++;
      else if (differs(angle)) {
        // At a border of colours the same colour lies close by.
        const aside = within / Math.max(Math.hypot(x, y), within);
        if (differs(angle - aside) && differs(angle + aside)) changed++;
      }
    }
    const shape = off <= (1 - NINE_IN_TEN) * n;
    const found = { shape, look: shape && changed <= SEEN_CHANGES * n };
    known.set(key, found);
    return found;
  };
  const holds = (order: number, which: 'shape' | 'look'): boolean => {
    // The turns that move it farthest fail first.
    for (let k = order >> 1; k >= 1; k--) if (!after((2 * Math.PI * k) / order)[which]) return false;
    return true;
  };
  const orderOf = (which: 'shape' | 'look', most: number): number => {
    for (let order = most; order > 1; order--) {
      ctx.checkpoint((HIGHEST - order) / HIGHEST);
      if (!holds(order, which)) continue;
      return order === HIGHEST && after(ODD_TURN)[which] ? Infinity : order;
    }
    return 1;
  };
  const shape = orderOf('shape', HIGHEST);
  const look = hasColors && shape > 1 ? orderOf('look', Math.min(HIGHEST, shape)) : shape;
  return { shape, look, axis: [x0, y0] };
}

/** The colours of a surface's places in CIELAB. */
class SurfaceLabs {
  private readonly read;
  private readonly light = new Float64Array(3);

  constructor(mesh: TriangleMesh | TexturedMesh) {
    this.read = colorReader(mesh);
  }

  at({ triangle, v, w }: SurfaceHit): Float32Array {
    this.light.fill(0);
    this.read(triangle, v, w, this.light);
    const lab = new Float32Array(3);
    labOfLight(this.light[0], this.light[1], this.light[2], lab);
    return lab;
  }
}
