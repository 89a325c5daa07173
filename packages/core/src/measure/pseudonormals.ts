import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexCount } from '../geometry/triangle-mesh.js';
import { BOUNDARY, oppositeHalfEdges, rimVertices } from '../mesh/topology.js';
import type { SurfaceHit } from '../spatial/triangle-bvh.js';
import { weldedVertices } from '../mesh/weld-vertices.js';

/** Shares of a corner up to this are none: the place lies on the opposite edge. */
const SHARE = 1e-9;

/**
 * Which side of a surface a point lies on, told from where it is nearest. The normal of the one triangle that was found is
 * wrong beside an edge or corner, where several are equally near; normals weighted by the triangles' angles at a corner, and
 * the sum of the two at an edge, are right for every closed surface.
 *
 * Source: J. A. Bærentzen, H. Aanæs (2005), Signed distance computation using the angle weighted pseudonormal.
 * Vertices at the same place count as one, so that a surface of loose triangles (STL) has corners too.
 */
export class Pseudonormals {
  /** Unit normal of each triangle. */
  private readonly faces: Float64Array;
  /** Angle-weighted, by welded vertex; of any length. */
  private readonly corners: Float64Array;
  private readonly corner: Uint32Array;
  private readonly opposite: Int32Array;
  /** Welded vertices that lie on a rim. */
  private rims: Uint8Array | undefined;

  /** O(triangles). */
  constructor(mesh: TriangleMesh) {
    const { positions: p, indices } = mesh;
    const triangles = indices.length / 3;
    const welded = weldedVertices(p, vertexCount(mesh));
    this.corner = indices.map((v) => welded[v]);
    this.opposite = oppositeHalfEdges(this.corner, vertexCount(mesh));
    this.faces = new Float64Array(3 * triangles);
    this.corners = new Float64Array(p.length);
    for (let t = 0; t < triangles; t++) {
      const at = [0, 1, 2].map((k) => 3 * indices[3 * t + k]);
      const edge = (from: number, to: number): [number, number, number] => [
        p[at[to]] - p[at[from]],
        p[at[to] + 1] - p[at[from] + 1],
        p[at[to] + 2] - p[at[from] + 2],
      ];
      const [ux, uy, uz] = edge(0, 1);
      const [vx, vy, vz] = edge(0, 2);
      const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      const length = Math.hypot(n[0], n[1], n[2]);
      if (length === 0) continue;
      for (let k = 0; k < 3; k++) this.faces[3 * t + k] = n[k] / length;
      for (let c = 0; c < 3; c++) {
        const a = edge(c, (c + 1) % 3);
        const b = edge(c, (c + 2) % 3);
        const cosine = (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) / (Math.hypot(...a) * Math.hypot(...b));
        const angle = Math.acos(Math.max(-1, Math.min(1, cosine)));
        const to = 3 * this.corner[3 * t + c];
        for (let k = 0; k < 3; k++) this.corners[to + k] += angle * this.faces[3 * t + k];
      }
    }
  }

  /** No edge lies on a rim: there is an inside. */
  get closed(): boolean {
    return !this.opposite.includes(BOUNDARY);
  }

  /** Whether a place lies on a rim: beyond one, an open surface has no sides. O(1); the first call O(triangles). */
  isOnRim({ triangle: t, v, w }: SurfaceHit): boolean {
    this.rims ??= rimVertices(this.corner, this.corners.length / 3, this.opposite);
    const shares = [1 - v - w, v, w];
    for (let k = 0; k < 3; k++) {
      if (shares[k] > 1 - SHARE && this.rims[this.corner[3 * t + k]]) return true;
      // The edge opposite to a corner without a share.
      if (shares[k] <= SHARE && this.opposite[3 * t + ((k + 1) % 3)] < 0) return true;
    }
    return false;
  }

  /** @returns +1 outside or on the surface, -1 inside */
  side(hit: SurfaceHit, x: number, y: number, z: number): 1 | -1 {
    const { triangle: t, v, w } = hit;
    const u = 1 - v - w;
    const on = [u, v, w].map((share) => share > SHARE);
    let nx = this.faces[3 * t];
    let ny = this.faces[3 * t + 1];
    let nz = this.faces[3 * t + 2];
    const many = on.filter(Boolean).length;
    if (many === 1) {
      const c = 3 * this.corner[3 * t + on.indexOf(true)];
      nx = this.corners[c];
      ny = this.corners[c + 1];
      nz = this.corners[c + 2];
    } else if (many === 2) {
      // Half-edge k runs from corner k to the next: the one opposite to the corner without a share.
      const h = 3 * t + ((on.indexOf(false) + 1) % 3);
      const other = this.opposite[h];
      if (other >= 0) {
        const f = 3 * Math.floor(other / 3);
        nx += this.faces[f];
        ny += this.faces[f + 1];
        nz += this.faces[f + 2];
      }
    }
    return (x - hit.x) * nx + (y - hit.y) * ny + (z - hit.z) * nz < 0 ? -1 : 1;
  }
}
