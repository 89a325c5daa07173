import { MOST_EDGES, previousHalfEdge, type EditableMesh } from './editable-mesh.js';

/** Numbers kept of a vertex: 6 + 3 + 1 of its quadric, 3 + 1 of its volume, 1 of its area. */
const SIZE = 15;
/** Numbers kept of a face. */
const FACE = 5;
/** How much more a rim counts than the faces beside it. */
const RIM_WEIGHT = 10;
/** Pull towards the middle of the edge, as a share of the quadric: settles a vertex in a flat place. */
const CALM = 1e-6;
/** Short edges go first where nothing else tells: share of the quadric's trace by length squared. */
const SHORT_FIRST = 1e-10;

/** Where an edge's one vertex would best stand, and what it costs. */
export interface EdgeEnd {
  x: number;
  y: number;
  z: number;
  /** Sum of area times squared distance to the planes of the faces around, mm⁴. */
  cost: number;
  /** Area of those faces, mm². */
  area: number;
}

/**
 * What drawing an edge together costs, and the best place for the vertex that is left: least squared distance to the planes
 * of the faces around both ends as they stand now, by area, among the places that keep the volume enclosed. Rims count by
 * planes upright on their faces. Nothing is remembered of faces that went, which keeps the mean error lower than summed-up
 * quadrics do.
 * Sources: M. Garland, P. Heckbert (1997), Surface simplification using quadric error metrics; P. Lindstrom, G. Turk
 * (1998), Fast and memory efficient polygonal simplification.
 */
export class EdgeQuadrics {
  private readonly kept: Float64Array;
  /** Doubled area times normal, its product with a corner, doubled area: of every face. */
  private readonly faces: Float64Array;
  private readonly fan = new Int32Array(MOST_EDGES);
  private readonly ring = new Int32Array(MOST_EDGES);
  private readonly sum = new Float64Array(SIZE);

  constructor(private readonly mesh: EditableMesh) {
    this.kept = new Float64Array(SIZE * mesh.leaving.length);
    this.faces = new Float64Array((FACE * mesh.origin.length) / 3);
    for (let h = 0; h < mesh.origin.length; h += 3) if (mesh.origin[h] >= 0) this.measure(h);
    for (let v = 0; v < mesh.leaving.length; v++) if (mesh.leaving[v] >= 0) this.refresh(v);
  }

  /** Takes up how the faces around a vertex stand now that it has moved. */
  moved(v: number): void {
    const { mesh, fan } = this;
    let count = mesh.fan(v, fan);
    for (let i = 0; i < count; i++) this.measure(fan[i]);
    this.refresh(v);
    count = mesh.neighbours(v, this.ring);
    for (let i = 0; i < count; i++) this.refresh(this.ring[i]);
  }

  private refresh(v: number): void {
    const { mesh, fan, kept } = this;
    const at = SIZE * v;
    for (let k = at; k < at + SIZE; k++) kept[k] = 0;
    const count = mesh.fan(v, fan);
    for (let i = 0; i < count; i++) this.addFace(kept, at, fan[i], 1);
    if (mesh.twin[fan[0]] < 0) this.addRim(kept, at, fan[0]);
    const last = previousHalfEdge(fan[count - 1]);
    if (mesh.twin[last] < 0) this.addRim(kept, at, last);
  }

  /** Where the vertex of an edge drawn together would stand. O(1). */
  evaluate(h: number, out: EdgeEnd): void {
    const { mesh, kept, sum } = this;
    const { positions: p, twin } = mesh;
    const a = mesh.origin[h];
    const b = mesh.target(h);
    const at = SIZE * a;
    const bt = SIZE * b;
    for (let k = 0; k < SIZE; k++) sum[k] = kept[at + k] + kept[bt + k];
    this.addFace(sum, 0, h, -1);
    if (twin[h] >= 0) this.addFace(sum, 0, twin[h], -1);
    const aRim = mesh.onRim(a);
    const bRim = mesh.onRim(b);
    const dx = p[3 * b] - p[3 * a];
    const dy = p[3 * b + 1] - p[3 * a + 1];
    const dz = p[3 * b + 2] - p[3 * a + 2];
    const length2 = dx * dx + dy * dy + dz * dz;
    out.area = sum[14];
    if (aRim !== bRim) {
      const v = aRim ? a : b;
      out.x = p[3 * v];
      out.y = p[3 * v + 1];
      out.z = p[3 * v + 2];
    } else this.best(out, p[3 * a] + dx / 2, p[3 * a + 1] + dy / 2, p[3 * a + 2] + dz / 2, !aRim);
    out.cost = quadricAt(sum, out.x, out.y, out.z) + SHORT_FIRST * length2 * (sum[0] + sum[3] + sum[5]);
  }

  /** Least of the summed quadric, near a point where it does not tell, on the plane of equal volume if that is asked. */
  private best(out: EdgeEnd, mx: number, my: number, mz: number, keepVolume: boolean): void {
    const q = this.sum;
    const calm = (CALM * (q[0] + q[3] + q[5])) / 3 + 1e-300;
    const xx = q[0] + calm;
    const xy = q[1];
    const xz = q[2];
    const yy = q[3] + calm;
    const yz = q[4];
    const zz = q[5] + calm;
    // Inverse by the adjugate.
    const ixx = yy * zz - yz * yz;
    const ixy = xz * yz - xy * zz;
    const ixz = xy * yz - xz * yy;
    const iyy = xx * zz - xz * xz;
    const iyz = xy * xz - xx * yz;
    const izz = xx * yy - xy * xy;
    const d = 1 / (xx * ixx + xy * ixy + xz * ixz);
    const rx = q[6] + calm * mx;
    const ry = q[7] + calm * my;
    const rz = q[8] + calm * mz;
    let x = d * (ixx * rx + ixy * ry + ixz * rz);
    let y = d * (ixy * rx + iyy * ry + iyz * rz);
    let z = d * (ixz * rx + iyz * ry + izz * rz);
    if (keepVolume) {
      const nx = q[10];
      const ny = q[11];
      const nz = q[12];
      const ux = d * (ixx * nx + ixy * ny + ixz * nz);
      const uy = d * (ixy * nx + iyy * ny + iyz * nz);
      const uz = d * (ixz * nx + iyz * ny + izz * nz);
      const along = nx * ux + ny * uy + nz * uz;
      // Twice the area is the most that the normals can add up to: less than a tenth of it says nothing.
      if (nx * nx + ny * ny + nz * nz > 0.04 * q[14] * q[14] && along > 0) {
        const step = (q[13] - nx * x - ny * y - nz * z) / along;
        x += step * ux;
        y += step * uy;
        z += step * uz;
      }
    }
    if (Number.isFinite(x + y + z)) {
      out.x = x;
      out.y = y;
      out.z = z;
    } else {
      out.x = mx;
      out.y = my;
      out.z = mz;
    }
  }

  private measure(h: number): void {
    const { mesh, faces } = this;
    const f = FACE * ((h / 3) | 0);
    faces[f + 4] = mesh.normalOf(h, faces, f);
    const a = 3 * mesh.origin[h];
    const p = mesh.positions;
    faces[f + 3] = faces[f] * p[a] + faces[f + 1] * p[a + 1] + faces[f + 2] * p[a + 2];
  }

  private addFace(to: Float64Array, at: number, h: number, sign: number): void {
    const { faces } = this;
    const f = FACE * ((h / 3) | 0);
    const twice = faces[f + 4];
    if (twice === 0) return;
    const nx = faces[f];
    const ny = faces[f + 1];
    const nz = faces[f + 2];
    const offset = faces[f + 3];
    addPlane(to, at, nx, ny, nz, offset, sign / (2 * twice));
    to[at + 10] += sign * nx;
    to[at + 11] += sign * ny;
    to[at + 12] += sign * nz;
    to[at + 13] += sign * offset;
    to[at + 14] += (sign * twice) / 2;
  }

  /** The plane through a rim's edge, upright on its face. */
  private addRim(to: Float64Array, at: number, h: number): void {
    const { positions: p, origin } = this.mesh;
    const a = 3 * origin[h];
    const b = 3 * this.mesh.target(h);
    const c = 3 * origin[previousHalfEdge(h)];
    const [ex, ey, ez] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [wx, wy, wz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const e2 = ex * ex + ey * ey + ez * ez;
    const share = e2 > 0 ? (wx * ex + wy * ey + wz * ez) / e2 : 0;
    const [nx, ny, nz] = [wx - share * ex, wy - share * ey, wz - share * ez];
    const n2 = nx * nx + ny * ny + nz * nz;
    if (n2 === 0) return;
    addPlane(to, at, nx, ny, nz, nx * p[a] + ny * p[a + 1] + nz * p[a + 2], (RIM_WEIGHT * e2) / n2);
  }
}

/** Adds weight · (n · x − offset)². */
function addPlane(
  to: Float64Array,
  at: number,
  nx: number,
  ny: number,
  nz: number,
  offset: number,
  weight: number,
): void {
  to[at] += weight * nx * nx;
  to[at + 1] += weight * nx * ny;
  to[at + 2] += weight * nx * nz;
  to[at + 3] += weight * ny * ny;
  to[at + 4] += weight * ny * nz;
  to[at + 5] += weight * nz * nz;
  to[at + 6] += weight * nx * offset;
  to[at + 7] += weight * ny * offset;
  to[at + 8] += weight * nz * offset;
  to[at + 9] += weight * offset * offset;
}

function quadricAt(q: Float64Array, x: number, y: number, z: number): number {
  const value =
    x * (q[0] * x + 2 * (q[1] * y + q[2] * z - q[6])) +
    y * (q[3] * y + 2 * (q[4] * z - q[7])) +
    z * (q[5] * z - 2 * q[8]) +
    q[9];
  return value > 0 ? value : 0;
}
