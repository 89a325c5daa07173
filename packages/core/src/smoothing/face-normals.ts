import { triangleCount, triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexTriangles, type VertexTriangles } from '../mesh/vertex-triangles.js';

/** Normals, areas and centres of a mesh's triangles. */
export class FaceNormals {
  /** Unit normals, three numbers a triangle; of no length where a triangle has no area. */
  readonly normals: Float64Array;
  readonly areas: Float64Array;
  readonly centres: Float64Array;
  /** Mean length of an edge if all triangles were even, mm. */
  readonly edge: number;
  private readonly around: VertexTriangles;

  constructor(private readonly mesh: TriangleMesh) {
    const { positions: p, indices } = mesh;
    const m = triangleCount(mesh);
    this.around = vertexTriangles(mesh);
    this.normals = new Float64Array(3 * m);
    this.areas = new Float64Array(m);
    this.centres = new Float64Array(3 * m);
    let area = 0;
    for (let t = 0; t < m; t++) {
      const l = triangleNormal(p, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], this.normals, 3 * t);
      const s = l > 0 ? 1 / l : 0;
      for (let k = 0; k < 3; k++) this.normals[3 * t + k] *= s;
      this.areas[t] = l / 2;
      area += l / 2;
      for (let k = 0; k < 3; k++)
        this.centres[3 * t + k] =
          (p[3 * indices[3 * t] + k] + p[3 * indices[3 * t + 1] + k] + p[3 * indices[3 * t + 2] + k]) / 3;
    }
    this.edge = m > 0 ? Math.sqrt((4 * area) / (Math.sqrt(3) * m)) : 0;
  }

  /**
   * Makes normals even by those of the triangles that share a corner, as far as they point the same way.
   * Source: Y. Zheng et al. (2011), Bilateral normal filtering for mesh denoising.
   * @param tilt how much normals may differ to count (length of their difference)
   */
  smooth(tilt: number): void {
    const { normals, areas, centres } = this;
    const { indices } = this.mesh;
    const { start, list } = this.around;
    const turn = 2 * tilt * tilt;
    const distance = (2 * this.edge * this.edge) / 3;
    const old = normals.slice();
    for (let t = 0; t < areas.length; t++) {
      let sx = 0;
      let sy = 0;
      let sz = 0;
      for (let c = 0; c < 3; c++) {
        const v = indices[3 * t + c];
        for (let i = start[v]; i < start[v + 1]; i++) {
          const u = list[i];
          let gap = 0;
          let away = 0;
          for (let k = 0; k < 3; k++) {
            const g = old[3 * t + k] - old[3 * u + k];
            const d = centres[3 * t + k] - centres[3 * u + k];
            gap += g * g;
            away += d * d;
          }
          const w = areas[u] * Math.exp(-gap / turn - away / distance);
          sx += w * old[3 * u];
          sy += w * old[3 * u + 1];
          sz += w * old[3 * u + 2];
        }
      }
      const l = Math.sqrt(sx * sx + sy * sy + sz * sz);
      if (l === 0) continue;
      normals[3 * t] = sx / l;
      normals[3 * t + 1] = sy / l;
      normals[3 * t + 2] = sz / l;
    }
  }
}
