import type { Placement, Scan } from '../geometry/scan.js';
import { vertexNormals, type ColorImage, type TexturedMesh, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { balanceExposure, sampleView, viewsOfFrames, type FrameView } from './frame-views.js';
import { unwrapMesh, UNWRAP_DEFAULTS, type UnwrapOptions } from './unwrap.js';

export interface TextureMeshOptions extends UnwrapOptions {
  /** Makes all images equally bright where they overlap. */
  balance: boolean;
  /** Ignores what is much brighter in one image than in the others. */
  suppressGlare: boolean;
  /** How much the best-seeing image outweighs the others; 1 = even mixing. */
  sharpness: number;
}

export const TEXTURE_MESH_DEFAULTS: TextureMeshOptions = {
  ...UNWRAP_DEFAULTS,
  balance: true,
  suppressGlare: true,
  sharpness: 3,
};

export interface TextureMeshResult {
  mesh: TexturedMesh;
  charts: number;
  coverage: number;
  density: number;
  stretch95: number;
  /** Images used; 0 means that colours came from the vertices. */
  images: number;
  /** Share of the charts' texels that an image saw (0–1). */
  seenRatio: number;
}

/**
 * Unwraps a mesh and colours its map from the images that see each place best, mixed smoothly; from vertex colours
 * where no image sees it. Every texel inside a chart gets a colour, and charts are padded outwards by the gap.
 * Source of the weighting: C. Rocchini, P. Cignoni, C. Montani, R. Scopigno (1999), Multiple textures stitching and
 * blending on 3D objects.
 */
export function textureMesh(
  mesh: TriangleMesh,
  scans: Scan[],
  placements: Placement[],
  options: Partial<TextureMeshOptions>,
  ctx: RunContext,
): TextureMeshResult {
  const o = { ...TEXTURE_MESH_DEFAULTS, ...options };
  const atlas = unwrapMesh(mesh, o, ctx.part(0, 0.35, 'Unwrapping'));
  const normals = mesh.normals ?? vertexNormals(mesh);
  const views = viewsOfFrames(
    { ...mesh, normals },
    scans,
    placements,
    ctx.part(0.35, 0.55, 'Finding what each image sees'),
  );
  if (o.balance) balanceExposure(mesh, views);
  const size = o.mapSize;
  const texture: ColorImage = { width: size, height: size, data: new Uint8Array(3 * size * size) };
  const filled = new Uint8Array(size * size);
  const painter = new TexelPainter(mesh, views, o);
  const q = atlas.cornerPixels;
  const m = mesh.indices.length / 3;
  let texels = 0;
  let seen = 0;
  const part = ctx.part(0.55, 0.95, 'Painting the map');
  const weights: [number, number, number] = [0, 0, 0];
  for (let t = 0; t < m; t++) {
    if ((t & 1023) === 0) part.checkpoint(t / m);
    painter.start(t);
    const at = 6 * t;
    const area = (q[at + 2] - q[at]) * (q[at + 5] - q[at + 1]) - (q[at + 4] - q[at]) * (q[at + 3] - q[at + 1]);
    if (area === 0) continue;
    const x0 = Math.max(0, Math.floor(Math.min(q[at], q[at + 2], q[at + 4]) - 0.5));
    const x1 = Math.min(size - 1, Math.ceil(Math.max(q[at], q[at + 2], q[at + 4]) - 0.5));
    const y0 = Math.max(0, Math.floor(Math.min(q[at + 1], q[at + 3], q[at + 5]) - 0.5));
    const y1 = Math.min(size - 1, Math.ceil(Math.max(q[at + 1], q[at + 3], q[at + 5]) - 0.5));
    for (let y = y0; y <= y1; y++) {
      for (let x = x0; x <= x1; x++) {
        const px = x + 0.5;
        const py = y + 0.5;
        const a = ((q[at + 2] - px) * (q[at + 5] - py) - (q[at + 4] - px) * (q[at + 3] - py)) / area;
        const b = ((q[at + 4] - px) * (q[at + 1] - py) - (q[at] - px) * (q[at + 5] - py)) / area;
        const c = 1 - a - b;
        // Texels whose middle lies just outside are painted too, so that no chart has gaps along its inner edges.
        const rim = -0.6 / Math.sqrt(Math.abs(area));
        if (a < rim || b < rim || c < rim) continue;
        const inside = a >= 0 && b >= 0 && c >= 0;
        const texel = y * size + x;
        if (filled[texel] === 2 || (filled[texel] === 1 && !inside)) continue;
        weights[0] = a;
        weights[1] = b;
        weights[2] = c;
        const fromImage = painter.paint(weights, texture.data, 3 * texel);
        if (inside) {
          texels++;
          if (fromImage) seen++;
        }
        filled[texel] = inside ? 2 : 1;
      }
    }
  }
  padCharts(texture, filled, o.gap + 2);
  ctx.checkpoint(1);
  const cornerUvs = new Float32Array(q.length);
  for (let i = 0; i < q.length; i += 2) {
    cornerUvs[i] = q[i] / size;
    cornerUvs[i + 1] = 1 - q[i + 1] / size;
  }
  return {
    mesh: { ...mesh, normals, cornerUvs, texture },
    charts: atlas.charts,
    coverage: atlas.coverage,
    density: atlas.density,
    stretch95: atlas.stretch95,
    images: views.length,
    seenRatio: texels > 0 ? seen / texels : 0,
  };
}

const CANDIDATES = 5;

/** Colours single texels of one triangle after another. */
class TexelPainter {
  private readonly chosen = new Int32Array(CANDIDATES);
  private readonly samples = new Float64Array(4 * CANDIDATES);
  private readonly rgb: [number, number, number] = [0, 0, 0];
  private count = 0;
  private triangle = 0;

  constructor(
    private readonly mesh: TriangleMesh,
    private readonly views: FrameView[],
    private readonly o: TextureMeshOptions,
  ) {}

  /** Chooses the images that see this triangle best. */
  start(t: number): void {
    this.triangle = t;
    this.count = 0;
    const { indices } = this.mesh;
    const score: number[] = [];
    for (let i = 0; i < this.views.length; i++) {
      const quality = this.views[i].quality;
      const s = quality[indices[3 * t]] + quality[indices[3 * t + 1]] + quality[indices[3 * t + 2]];
      if (s <= 0) continue;
      let at = this.count;
      while (at > 0 && score[at - 1] < s) at--;
      if (at >= CANDIDATES) continue;
      for (let k = Math.min(this.count, CANDIDATES - 1); k > at; k--) {
        score[k] = score[k - 1];
        this.chosen[k] = this.chosen[k - 1];
      }
      score[at] = s;
      this.chosen[at] = i;
      if (this.count < CANDIDATES) this.count++;
    }
  }

  /** Writes the colour at barycentric weights. @returns true if an image saw the place */
  paint(w: ArrayLike<number>, out: Uint8Array, at: number): boolean {
    const { indices, positions: p, colors } = this.mesh;
    const ia = indices[3 * this.triangle];
    const ib = indices[3 * this.triangle + 1];
    const ic = indices[3 * this.triangle + 2];
    const x = w[0] * p[3 * ia] + w[1] * p[3 * ib] + w[2] * p[3 * ic];
    const y = w[0] * p[3 * ia + 1] + w[1] * p[3 * ib + 1] + w[2] * p[3 * ic + 1];
    const z = w[0] * p[3 * ia + 2] + w[1] * p[3 * ib + 2] + w[2] * p[3 * ic + 2];
    const s = this.samples;
    let n = 0;
    for (let k = 0; k < this.count; k++) {
      const view = this.views[this.chosen[k]];
      const q = Math.max(0, w[0] * view.quality[ia] + w[1] * view.quality[ib] + w[2] * view.quality[ic]) / 255;
      if (q <= 0.01 || !sampleView(view, x, y, z, this.rgb)) continue;
      s[4 * n] = q ** this.o.sharpness;
      for (let c = 0; c < 3; c++) s[4 * n + 1 + c] = this.rgb[c] * view.gain;
      n++;
    }
    if (n === 0) {
      for (let c = 0; c < 3; c++) {
        out[at + c] = colors
          ? Math.max(
              0,
              Math.min(255, w[0] * colors[3 * ia + c] + w[1] * colors[3 * ib + c] + w[2] * colors[3 * ic + c]),
            )
          : 150;
      }
      return colors !== undefined && !this.mesh.invented?.[ia];
    }
    if (this.o.suppressGlare && n > 1) this.dampGlare(n);
    let sum = 0;
    let r = 0;
    let g = 0;
    let b = 0;
    for (let k = 0; k < n; k++) {
      sum += s[4 * k];
      r += s[4 * k] * s[4 * k + 1];
      g += s[4 * k] * s[4 * k + 2];
      b += s[4 * k] * s[4 * k + 3];
    }
    out[at] = Math.min(255, Math.round(r / sum));
    out[at + 1] = Math.min(255, Math.round(g / sum));
    out[at + 2] = Math.min(255, Math.round(b / sum));
    return true;
  }

  /** A highlight is bright in one image and not in the others: samples far above the darkest agreeing one lose weight. */
  private dampGlare(n: number): void {
    const s = this.samples;
    let low = Infinity;
    for (let k = 0; k < n; k++) low = Math.min(low, luma(s, k));
    for (let k = 0; k < n; k++) {
      const over = luma(s, k) - low - 18;
      if (over > 0) s[4 * k] *= Math.exp(-(over * over) / 150);
    }
  }
}

function luma(s: Float64Array, k: number): number {
  return 0.3 * s[4 * k + 1] + 0.59 * s[4 * k + 2] + 0.11 * s[4 * k + 3];
}

/** Grows every chart outwards, one pixel a round, by the mean of the coloured neighbours; the rest gets a mid tone. */
function padCharts(texture: ColorImage, filled: Uint8Array, rounds: number): void {
  const { width, height, data } = texture;
  const near = [-1, 1, -width, width];
  const emptyBeside = (cells: Iterable<number>): number[] => {
    const out = new Set<number>();
    for (const i of cells) {
      for (const d of near) if (i + d >= 0 && i + d < width * height && filled[i + d] === 0) out.add(i + d);
    }
    return Array.from(out);
  };
  const painted: number[] = [];
  for (let i = 0; i < filled.length; i++) if (filled[i] && near.some((d) => filled[i + d] === 0)) painted.push(i);
  let border = emptyBeside(painted);
  for (let r = 0; r < rounds && border.length > 0; r++) {
    for (const i of border) {
      let n = 0;
      const sum = [0, 0, 0];
      for (const d of near) {
        if (!filled[i + d]) continue;
        n++;
        for (let k = 0; k < 3; k++) sum[k] += data[3 * (i + d) + k];
      }
      for (let k = 0; k < 3; k++) data[3 * i + k] = Math.round(sum[k] / Math.max(1, n));
    }
    for (const i of border) filled[i] = 3;
    border = emptyBeside(border);
  }
  for (let i = 0; i < filled.length; i++) if (filled[i] === 0) data.fill(118, 3 * i, 3 * i + 3);
}
