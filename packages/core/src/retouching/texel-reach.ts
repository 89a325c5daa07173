import type { Dab } from '../geometry/dab.js';
import { triangleNormal, type TexturedMesh } from '../geometry/triangle-mesh.js';
import { oppositeHalfEdges } from '../mesh/topology.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import { cornerShares, mapTexels, pixelsOf, type MapTexels } from '../unwrapping/index.js';

/** Triangles that turn further from the place under the brush than this, as cosine, are another side: 110°. */
const OTHER_SIDE = -0.34;

/** What a search found: triangles, and where its middle lies on the surface. */
export interface FoundPlace {
  triangles: readonly number[];
  middle: Float64Array;
  normal: Float64Array;
}

/**
 * Finds the texels that a brush on the surface reaches: those whose place lies in its ball, on triangles that hang together with
 * the one under its middle, on the same side. Build O(texels + m log m).
 */
export class TexelReach {
  readonly texels: MapTexels;
  readonly cornerPixels: Float32Array;
  /** What the last dab reached: `count` texels, how far each lies from its middle in radii, and its place, 3 each. */
  texel = new Uint32Array(1024);
  distance = new Float32Array(1024);
  place = new Float32Array(3 * 1024);
  count = 0;
  /** Triangles that the last search reached. */
  readonly triangles: number[] = [];
  /** Unit normal under its middle, and where the middle lies on the surface. */
  readonly normal = new Float64Array(3);
  readonly middle = new Float64Array(3);
  /** Edge of a texel on the surface, mm, on average. */
  readonly texelSize: number;

  private readonly bvh: TriangleBvh;
  private readonly opposite: Int32Array;
  private readonly seen: Uint32Array;
  private round = 0;
  private readonly hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  private readonly n = new Float64Array(3);
  private readonly share = new Float64Array(3);

  constructor(readonly mesh: TexturedMesh) {
    const { width, height } = mesh.texture;
    this.cornerPixels = pixelsOf(mesh.cornerUvs, width, height);
    this.texels = mapTexels(this.cornerPixels, width);
    this.bvh = new TriangleBvh(mesh);
    this.opposite = oppositeHalfEdges(mesh.indices, mesh.positions.length / 3);
    this.seen = new Uint32Array(mesh.indices.length / 3);
    this.texelSize = this.measureTexel();
  }

  /**
   * Finds the place of the surface nearest to one, and the triangles that reach into the ball about it.
   * @param within how far off the surface may lie, mm
   * @returns false if there is no surface so near
   */
  around(px: number, py: number, pz: number, radius: number, within = radius): boolean {
    const { mesh, triangles, opposite, seen, n, normal } = this;
    triangles.length = 0;
    if (!this.bvh.closest(px, py, pz, within, this.hit)) return false;
    const { hit } = this;
    const { x, y, z } = hit;
    this.middle[0] = x;
    this.middle[1] = y;
    this.middle[2] = z;
    const { positions: p, indices } = mesh;
    this.unitNormal(hit.triangle, normal);
    this.round++;
    seen[hit.triangle] = this.round;
    triangles.push(hit.triangle);
    for (let i = 0; i < triangles.length; i++) {
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * triangles[i] + k];
        if (h < 0) continue;
        const t = Math.floor(h / 3);
        if (seen[t] === this.round) continue;
        seen[t] = this.round;
        // The triangle's own ball meets that of the brush.
        let [cx, cy, cz] = [0, 0, 0];
        for (let c = 0; c < 3; c++) {
          const v = 3 * indices[3 * t + c];
          cx += p[v] / 3;
          cy += p[v + 1] / 3;
          cz += p[v + 2] / 3;
        }
        const v = 3 * indices[3 * t];
        let own = Math.hypot(p[v] - cx, p[v + 1] - cy, p[v + 2] - cz);
        for (let c = 1; c < 3; c++) {
          const w = 3 * indices[3 * t + c];
          own = Math.max(own, Math.hypot(p[w] - cx, p[w + 1] - cy, p[w + 2] - cz));
        }
        if (Math.hypot(cx - x, cy - y, cz - z) > radius + own) continue;
        this.unitNormal(t, n);
        if (n[0] * normal[0] + n[1] * normal[1] + n[2] * normal[2] < OTHER_SIDE) continue;
        triangles.push(t);
      }
    }
    return true;
  }

  /** @returns how many texels a dab reaches */
  find([x, y, z, radius]: Dab): number {
    this.count = 0;
    if (!this.around(x, y, z, radius)) return 0;
    const { mesh, texels, share, cornerPixels } = this;
    const { positions: p, indices } = mesh;
    const { width } = mesh.texture;
    for (const t of this.triangles) {
      const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
      for (let i = texels.first[t]; i < texels.first[t + 1]; i++) {
        const at = texels.texel[i];
        if (!cornerShares(cornerPixels, t, (at % width) + 0.5, Math.floor(at / width) + 0.5, share)) continue;
        const [u, v, w] = share;
        const px = u * p[a] + v * p[b] + w * p[c];
        const py = u * p[a + 1] + v * p[b + 1] + w * p[c + 1];
        const pz = u * p[a + 2] + v * p[b + 2] + w * p[c + 2];
        const d = Math.sqrt((px - x) ** 2 + (py - y) ** 2 + (pz - z) ** 2) / radius;
        if (d < 1) this.keep(at, d, px, py, pz);
      }
    }
    return this.count;
  }

  /** What was found about the last place, so that another can be looked for in between. */
  keepFound(): FoundPlace {
    return { triangles: [...this.triangles], middle: this.middle.slice(), normal: this.normal.slice() };
  }

  putBack({ triangles, middle, normal }: FoundPlace): void {
    this.triangles.length = 0;
    this.triangles.push(...triangles);
    this.middle.set(middle);
    this.normal.set(normal);
  }

  private keep(texel: number, distance: number, x: number, y: number, z: number): void {
    if (this.count === this.texel.length) {
      const grown = <A extends Uint32Array | Float32Array>(list: A): A => {
        const out = new (list.constructor as new (n: number) => A)(2 * list.length);
        out.set(list);
        return out;
      };
      this.texel = grown(this.texel);
      this.distance = grown(this.distance);
      this.place = grown(this.place);
    }
    const i = this.count++;
    this.texel[i] = texel;
    this.distance[i] = distance;
    this.place[3 * i] = x;
    this.place[3 * i + 1] = y;
    this.place[3 * i + 2] = z;
  }

  private unitNormal(t: number, out: Float64Array): void {
    const { positions, indices } = this.mesh;
    const l = triangleNormal(positions, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], out) || 1;
    for (let k = 0; k < 3; k++) out[k] /= l;
  }

  private measureTexel(): number {
    const { mesh, n, cornerPixels: q } = this;
    let area = 0;
    let pixels = 0;
    for (let t = 0; t < mesh.indices.length / 3; t++) {
      area += triangleNormal(mesh.positions, mesh.indices[3 * t], mesh.indices[3 * t + 1], mesh.indices[3 * t + 2], n);
      const at = 6 * t;
      pixels += Math.abs((q[at + 2] - q[at]) * (q[at + 5] - q[at + 1]) - (q[at + 4] - q[at]) * (q[at + 3] - q[at + 1]));
    }
    return pixels > 0 ? Math.sqrt(area / pixels) : 1;
  }
}
