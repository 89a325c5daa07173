/** Two vertex numbers below this fit into one key: its square is 2^52. */
const MOST_VERTICES = 67_108_864;
/**
 * A growing patch of triangles inside one hole: refined to the density of its surroundings and kept Delaunay-like by
 * edge swaps. Vertices 0..rim-1 are the rim and never move. Towards the middle the triangles grow: nothing was measured
 * there, so fine triangles would only cost time.
 *
 * Sources: P. Liepa (2003), Filling holes in meshes (refinement by centroids with relaxation); the split test after
 * M. Pfeifle, H.-P. Seidel (1996), Triangular B-splines for blending and filling of polygonal holes.
 */
export class Patch {
  readonly positions: number[];
  readonly triangles: number[];
  private readonly scale: number[];
  private readonly edges = new Map<number, [number, number]>();
  private readonly kept = new Set<number>();

  /**
   * @param rim the first vertices, 3n: the rim's, and those of lines through the hole
   * @param edgeLength wanted edge length at each of them, mm
   * @param forbidden edges that must not be made
   * @param creases lines of vertices whose edges stay
   * @param growth how many times longer edges may be with every vertex further inside
   */
  constructor(
    rim: Float64Array,
    triangles: number[],
    edgeLength: Float64Array,
    private readonly forbidden: (a: number, b: number) => boolean,
    creases: readonly (readonly number[])[],
    private readonly growth: number,
  ) {
    for (const line of creases) for (let i = 0; i + 1 < line.length; i++) this.kept.add(this.key(line[i], line[i + 1]));
    this.positions = Array.from(rim);
    this.triangles = triangles.slice();
    this.scale = Array.from(edgeLength);
    for (let t = 0; t < this.triangles.length / 3; t++) this.link(t);
  }

  private key(a: number, b: number): number {
    return Math.min(a, b) * MOST_VERTICES + Math.max(a, b);
  }

  private link(t: number): void {
    for (let k = 0; k < 3; k++) {
      const key = this.key(this.triangles[3 * t + k], this.triangles[3 * t + ((k + 1) % 3)]);
      const pair = this.edges.get(key);
      if (!pair) this.edges.set(key, [t, -1]);
      else if (pair[0] < 0) pair[0] = t;
      else if (pair[0] !== t) pair[1] = t;
    }
  }

  private replaceInEdge(a: number, b: number, from: number, to: number): void {
    const pair = this.edges.get(this.key(a, b))!;
    if (pair[0] === from) pair[0] = to;
    else pair[1] = to;
  }

  private distance(a: number, b: number): number {
    const p = this.positions;
    return Math.hypot(p[3 * a] - p[3 * b], p[3 * a + 1] - p[3 * b + 1], p[3 * a + 2] - p[3 * b + 2]);
  }

  /** Splits triangles that are large for their surroundings, swapping edges in between; at most `maxVertices` in all. */
  refine(maxVertices: number): void {
    for (let round = 0; round < 40; round++) {
      const count = this.triangles.length / 3;
      let split = 0;
      for (let t = 0; t < count; t++) {
        if (this.positions.length / 3 >= maxVertices) return;
        if (this.splitIfLarge(t)) split++;
      }
      for (let pass = 0; pass < 4; pass++) if (this.relaxAll() === 0) break;
      if (split === 0) return;
    }
  }

  private splitIfLarge(t: number): boolean {
    const a = this.triangles[3 * t];
    const b = this.triangles[3 * t + 1];
    const c = this.triangles[3 * t + 2];
    const p = this.positions;
    const s = (this.scale[a] + this.scale[b] + this.scale[c]) / 3;
    const x = (p[3 * a] + p[3 * b] + p[3 * c]) / 3;
    const y = (p[3 * a + 1] + p[3 * b + 1] + p[3 * c + 1]) / 3;
    const z = (p[3 * a + 2] + p[3 * b + 2] + p[3 * c + 2]) / 3;
    for (const v of [a, b, c]) {
      const d = Math.SQRT2 * Math.hypot(p[3 * v] - x, p[3 * v + 1] - y, p[3 * v + 2] - z);
      if (d <= s || d <= this.scale[v]) return false;
    }
    const m = p.length / 3;
    p.push(x, y, z);
    this.scale.push(this.growth * s);
    const t2 = this.triangles.length / 3;
    const t3 = t2 + 1;
    this.triangles[3 * t + 2] = m;
    this.triangles.push(b, c, m, c, a, m);
    this.replaceInEdge(b, c, t, t2);
    this.replaceInEdge(c, a, t, t3);
    this.edges.set(this.key(a, m), [t, t3]);
    this.edges.set(this.key(b, m), [t, t2]);
    this.edges.set(this.key(c, m), [t2, t3]);
    this.relax(a, b);
    this.relax(b, c);
    this.relax(c, a);
    return true;
  }

  private relaxAll(): number {
    let swaps = 0;
    for (const key of Array.from(this.edges.keys())) {
      if (this.relax(Math.floor(key / MOST_VERTICES), key % MOST_VERTICES)) swaps++;
    }
    return swaps;
  }

  /** Swaps an inner edge if the angles facing it sum to more than a half turn. */
  private relax(a: number, b: number): boolean {
    const pair = this.edges.get(this.key(a, b));
    if (!pair || pair[0] < 0 || pair[1] < 0 || this.kept.has(this.key(a, b))) return false;
    const [t, u] = pair;
    const c = this.apex(t, a, b);
    const d = this.apex(u, a, b);
    if (c === d || this.forbidden(c, d) || this.edges.has(this.key(c, d))) return false;
    if (this.angle(c, a, b) + this.angle(d, a, b) <= Math.PI + 1e-6) return false;
    // The swapped pair must not fold over: its two normals keep the direction of the old ones.
    const forward = this.runs(t, a, b);
    const [p, q] = forward ? [a, b] : [b, a];
    if (!this.sameSide(p, d, c, q)) return false;
    this.setTriangle(t, p, d, c);
    this.setTriangle(u, d, q, c);
    this.edges.delete(this.key(a, b));
    this.edges.set(this.key(c, d), [t, u]);
    // Edge p–d moved from u to t, edge q–c from t to u.
    this.replaceInEdge(p, d, u, t);
    this.replaceInEdge(q, c, t, u);
    return true;
  }

  private sameSide(p: number, d: number, c: number, q: number): boolean {
    const n1 = this.normal(p, d, c);
    const n2 = this.normal(d, q, c);
    return n1[0] * n2[0] + n1[1] * n2[1] + n1[2] * n2[2] > 0;
  }

  private normal(a: number, b: number, c: number): [number, number, number] {
    const p = this.positions;
    const ux = p[3 * b] - p[3 * a];
    const uy = p[3 * b + 1] - p[3 * a + 1];
    const uz = p[3 * b + 2] - p[3 * a + 2];
    const vx = p[3 * c] - p[3 * a];
    const vy = p[3 * c + 1] - p[3 * a + 1];
    const vz = p[3 * c + 2] - p[3 * a + 2];
    return [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
  }

  private setTriangle(t: number, a: number, b: number, c: number): void {
    this.triangles[3 * t] = a;
    this.triangles[3 * t + 1] = b;
    this.triangles[3 * t + 2] = c;
  }

  private apex(t: number, a: number, b: number): number {
    for (let k = 0; k < 3; k++) {
      const v = this.triangles[3 * t + k];
      if (v !== a && v !== b) return v;
    }
    return a;
  }

  private runs(t: number, a: number, b: number): boolean {
    for (let k = 0; k < 3; k++) {
      if (this.triangles[3 * t + k] === a) return this.triangles[3 * t + ((k + 1) % 3)] === b;
    }
    return false;
  }

  private angle(at: number, a: number, b: number): number {
    const x = this.distance(at, a);
    const y = this.distance(at, b);
    const z = this.distance(a, b);
    return Math.acos(Math.max(-1, Math.min(1, (x * x + y * y - z * z) / (2 * x * y || 1))));
  }
}
