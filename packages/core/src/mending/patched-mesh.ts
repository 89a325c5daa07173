import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { withUnmeasured } from '../geometry/vertex-knowledge.js';
import { patchColors } from './patch-colors.js';

/** What fills a hole: vertices of its own after those of the rim, triangles over both. */
export interface HolePatch {
  /** Vertices of the mesh along the rim, in the order of the patch. */
  rim: Uint32Array;
  /** 3n: the rim's, then its own. */
  positions: ArrayLike<number>;
  triangles: ArrayLike<number>;
}

/** Joins patches to a mesh; what they bring is marked invented. */
export class PatchedMesh {
  private readonly positions: number[] = [];
  private readonly indices: number[] = [];
  private readonly colors: number[] = [];
  /** Area of all patches, mm². */
  area = 0;

  constructor(private readonly mesh: TriangleMesh) {}

  add({ rim, positions: q, triangles }: HolePatch): void {
    const base = vertexCount(this.mesh) + this.positions.length / 3;
    const n = rim.length;
    for (let i = 3 * n; i < q.length; i++) this.positions.push(q[i]);
    if (this.mesh.colors) {
      const known = new Uint8Array(3 * n);
      for (let i = 0; i < n; i++) known.set(this.mesh.colors.subarray(3 * rim[i], 3 * rim[i] + 3), 3 * i);
      this.colors.push(...patchColors(known, q.length / 3, triangles));
    }
    for (let t = 0; t < triangles.length; t += 3) {
      const c = [0, 1, 2].map((k) => triangles[t + k]);
      for (const v of c) this.indices.push(v < n ? rim[v] : base + v - n);
      const u = [0, 1, 2].map((k) => q[3 * c[1] + k] - q[3 * c[0] + k]);
      const w = [0, 1, 2].map((k) => q[3 * c[2] + k] - q[3 * c[0] + k]);
      this.area += 0.5 * Math.hypot(u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]);
    }
  }

  finish(): TriangleMesh {
    const { mesh } = this;
    const n = vertexCount(mesh);
    const added = this.positions.length / 3;
    const append = <A extends Float32Array | Uint8Array | Uint32Array>(a: A, more: ArrayLike<number>): A => {
      const out = new (a.constructor as new (length: number) => A)(a.length + more.length);
      out.set(a);
      out.set(more as never, a.length);
      return out;
    };
    return {
      positions: append(mesh.positions, this.positions),
      indices: append(mesh.indices, this.indices),
      ...withUnmeasured(mesh, n, added),
      ...(mesh.colors ? { colors: append(mesh.colors, this.colors) } : {}),
    };
  }
}
