import { BitSet } from '../geometry/bit-set.js';
import { cieLab } from '../geometry/cie-lab.js';
import { rotateVector, type Vec3 } from '../math/mat4.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import type { SelectableCloud } from './selectable-cloud.js';

/** A point of one of the clouds. */
export interface PointRef {
  cloud: number;
  point: number;
}

/**
 * Points whose colour lies within `tolerance` of a point's colour (CIELAB, ΔE of 1976: about 2 is just noticeable).
 * Clouds without colours take no part. O(points).
 */
export function selectLikeColor(clouds: readonly SelectableCloud[], seed: PointRef, tolerance: number): BitSet[] {
  const colors = clouds[seed.cloud].colors;
  if (!colors) return clouds.map((c) => new BitSet(c.present.size));
  const wanted = cieLab(colors.subarray(3 * seed.point, 3 * seed.point + 3));
  return clouds.map((c) => {
    const out = new BitSet(c.present.size);
    if (!c.colors) return out;
    const near = new ColorTest(wanted, tolerance);
    for (let i = 0, j = 0; i < c.present.size; i++, j += 3) {
      if (c.present.has(i) && near.has(c.colors[j], c.colors[j + 1], c.colors[j + 2])) out.add(i);
    }
    return out;
  });
}

/** Points whose normal, in the view's frame, lies within `maxAngleRad` of a point's. Clouds without normals take no part. */
export function selectLikeNormal(clouds: readonly SelectableCloud[], seed: PointRef, maxAngleRad: number): BitSet[] {
  const { normals, viewFromScan } = clouds[seed.cloud];
  if (!normals) return clouds.map((c) => new BitSet(c.present.size));
  const at = 3 * seed.point;
  const wanted = rotateVector(viewFromScan, normals[at], normals[at + 1], normals[at + 2]);
  const least = Math.cos(maxAngleRad);
  return clouds.map((c) => {
    const out = new BitSet(c.present.size);
    if (!c.normals) return out;
    // The wanted direction in the scan's frame.
    const m = c.viewFromScan;
    const [x, y, z] = [0, 4, 8].map((k) => m[k] * wanted[0] + m[k + 1] * wanted[1] + m[k + 2] * wanted[2]) as Vec3;
    for (let i = 0, j = 0; i < c.present.size; i++, j += 3) {
      if (c.normals[j] * x + c.normals[j + 1] * y + c.normals[j + 2] * z >= least && c.present.has(i)) out.add(i);
    }
    return out;
  });
}

/**
 * The part of `among` that hangs together with a point: points in cubes of edge `gap` mm that touch (26 neighbours),
 * across all clouds as they are shown. Gaps of up to `gap` are always bridged, of 2√3 times that never. O(points).
 */
export function selectConnected(
  clouds: readonly SelectableCloud[],
  among: readonly BitSet[],
  seed: PointRef,
  gap: number,
): BitSet[] {
  const table = new VoxelTable(1 << 14);
  const coords: number[] = [];
  const cubeOf = clouds.map(({ positions: p, viewFromScan: m }, k) => {
    const ids = among[k].toArray();
    const cubes = new Int32Array(ids.length);
    for (let s = 0; s < ids.length; s++) {
      const j = 3 * ids[s];
      const x = Math.floor((m[0] * p[j] + m[4] * p[j + 1] + m[8] * p[j + 2] + m[12]) / gap);
      const y = Math.floor((m[1] * p[j] + m[5] * p[j + 1] + m[9] * p[j + 2] + m[13]) / gap);
      const z = Math.floor((m[2] * p[j] + m[6] * p[j + 1] + m[10] * p[j + 2] + m[14]) / gap);
      const before = table.size;
      cubes[s] = table.insert(x, y, z);
      if (table.size > before) coords.push(x, y, z);
    }
    return { ids, cubes };
  });
  const reached = new Uint8Array(table.size);
  const of = cubeOf[seed.cloud];
  const at = of.ids.indexOf(seed.point);
  if (at >= 0) {
    const open = [of.cubes[at]];
    reached[open[0]] = 1;
    while (open.length > 0) {
      const c = open.pop()!;
      for (let k = 0; k < 27; k++) {
        const other = table.find(
          coords[3 * c] + (k % 3) - 1,
          coords[3 * c + 1] + (Math.floor(k / 3) % 3) - 1,
          coords[3 * c + 2] + Math.floor(k / 9) - 1,
        );
        if (other < 0 || reached[other]) continue;
        reached[other] = 1;
        open.push(other);
      }
    }
  }
  return cubeOf.map(({ ids, cubes }, k) => {
    const out = new BitSet(clouds[k].present.size);
    for (let s = 0; s < ids.length; s++) if (reached[cubes[s]]) out.add(ids[s]);
    return out;
  });
}

/** Whether colours lie near a wanted one; remembers its answers for colours in steps of 4. */
class ColorTest {
  private readonly known = new Uint8Array(1 << 18);
  private readonly triple = new Uint8Array(3);

  constructor(
    private readonly wanted: Float32Array,
    private readonly tolerance: number,
  ) {}

  has(r: number, g: number, b: number): boolean {
    const key = ((r >> 2) << 12) | ((g >> 2) << 6) | (b >> 2);
    if (this.known[key] === 0) {
      // The middle of the step stands for all of it: an error of about one unit of ΔE.
      this.triple[0] = (r & ~3) + 2;
      this.triple[1] = (g & ~3) + 2;
      this.triple[2] = (b & ~3) + 2;
      const lab = cieLab(this.triple);
      const d = Math.hypot(lab[0] - this.wanted[0], lab[1] - this.wanted[1], lab[2] - this.wanted[2]);
      this.known[key] = d <= this.tolerance ? 2 : 1;
    }
    return this.known[key] === 2;
  }
}
