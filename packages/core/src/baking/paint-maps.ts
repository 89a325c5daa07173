import type { BakedKind, BakedMap } from '../geometry/light-model.js';
import { quickSrgbOfLight } from '../geometry/srgb.js';
import { colorReader } from '../geometry/surface-colors.js';
import type { ColorImage, NormalMesh, TexturedMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { cornerShares, MID_TONE, pad, paddingOf, type MapTexels } from '../unwrapping/index.js';
import { FOUND, SLANTED } from './detail-searcher.js';
import { kindOfState } from './failed-places.js';
import type { FoundDetail } from './find-detail.js';

/** The dense surface and what is known at its vertices beside what they know themselves. */
export interface DenseDetail {
  mesh: NormalMesh | (TexturedMesh & NormalMesh);
  /** 0–1, see `openToLight`. */
  open: Float32Array;
  /** 1/mm, see `meanCurvature`. */
  curvature: Float32Array;
}

/** Where the maps are painted. */
export interface MapLayout {
  light: NormalMesh;
  cornerPixels: Float32Array;
  /** Per corner, see `cornerTangents` (12m). */
  tangents: Float32Array;
  size: number;
  gap: number;
  texels: MapTexels;
}

export interface PaintedMaps {
  color: ColorImage;
  maps: BakedMap[];
  /** Per triangle so many failed texels of each kind, in the order of `FAILED_KINDS`. */
  failed: Uint32Array;
}

/** Of all values so many lie within the range of a map: few large ones would leave the others no steps. */
const WITHIN = 0.98;
const MIDDLE = 32_768;

/** Mean of each texel's samples as maps; texels without any take their neighbours' values, as the gaps between charts do. */
export function paintMaps(dense: DenseDetail, layout: MapLayout, found: FoundDetail, ctx: RunContext): PaintedMaps {
  const { light, cornerPixels, size, gap, texels } = layout;
  const { mesh } = dense;
  const m = light.indices.length / 3;
  const count = size * size;
  const filled = new Uint8Array(count);
  const color = new Uint8Array(3 * count).fill(MID_TONE);
  const normal = new Uint8Array(3 * count).fill(128);
  const object = new Uint8Array(3 * count).fill(128);
  const displacement = new Uint16Array(count).fill(MIDDLE);
  const occlusion = new Uint8Array(count).fill(255);
  const curvature = new Uint8Array(count).fill(128);
  const invented = mesh.invented && new Uint8Array(count);
  const expected = mesh.expectedError && new Uint8Array(count);
  const lost = new Uint8Array(count);
  const failed = new Uint32Array(3 * m);
  const far = farthest(found);
  const bend = usualMost(dense.curvature);
  const doubt = mesh.expectedError ? usualMost(mesh.expectedError) : 1;
  const readColor = colorReader(mesh);
  const frame = new TexelFrame(layout);
  const rgb = new Float64Array(3);
  const n = new Float64Array(3);
  for (let t = 0; t < m; t++) {
    if ((t & 255) === 0) ctx.checkpoint((0.9 * t) / m);
    for (let i = texels.first[t]; i < texels.first[t + 1]; i++) {
      const at = texels.texel[i];
      rgb.fill(0);
      n.fill(0);
      let good = 0;
      let worst = FOUND;
      let [offset, open, curve, made, error] = [0, 0, 0, 0, 0];
      for (let s = found.samples * i; s < found.samples * (i + 1); s++) {
        const state = found.state[s];
        if (state !== FOUND) worst = state;
        if (state !== FOUND && state !== SLANTED) continue;
        good++;
        const [d, v, w] = [found.triangle[s], found.v[s], found.w[s]];
        const u = 1 - v - w;
        const [a, b, c] = [mesh.indices[3 * d], mesh.indices[3 * d + 1], mesh.indices[3 * d + 2]];
        for (let k = 0; k < 3; k++)
          n[k] += u * mesh.normals[3 * a + k] + v * mesh.normals[3 * b + k] + w * mesh.normals[3 * c + k];
        readColor(d, v, w, rgb);
        offset += found.offset[s];
        open += u * dense.open[a] + v * dense.open[b] + w * dense.open[c];
        curve += u * dense.curvature[a] + v * dense.curvature[b] + w * dense.curvature[c];
        const nearest = u >= v && u >= w ? a : v >= w ? b : c;
        if (mesh.invented) made += mesh.invented[nearest];
        // Where nothing was measured the error is as large as the map can say.
        if (mesh.expectedError) error += finite(mesh.expectedError[nearest], doubt);
      }
      if (worst !== FOUND) {
        if (texels.inside[i]) failed[3 * t + kindOfState(worst)]++;
        lost[at] = 255;
      }
      const length = Math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
      if (good === 0 || !(length > 0)) continue;
      filled[at] = 1;
      for (let k = 0; k < 3; k++) {
        n[k] /= length;
        color[3 * at + k] = Math.round(quickSrgbOfLight(rgb[k] / good));
        object[3 * at + k] = Math.round(127.5 + 127.5 * n[k]);
      }
      cornerShares(cornerPixels, t, (at % size) + 0.5, Math.floor(at / size) + 0.5, frame.share);
      frame.toTangentSpace(t, n);
      for (let k = 0; k < 3; k++) normal[3 * at + k] = Math.round(127.5 + 127.5 * n[k]);
      displacement[at] = Math.max(0, Math.min(65_535, Math.round(MIDDLE + (32_767 * offset) / (good * far))));
      occlusion[at] = Math.round((255 * open) / good);
      curvature[at] = byteOf(0.5 + (0.5 * curve) / (good * bend));
      if (invented) invented[at] = Math.round((255 * made) / good);
      if (expected) expected[at] = byteOf(error / (good * doubt));
    }
  }
  // Lost texels inside charts are filled first, however far; then the gaps.
  const inner = paddingOf(withoutGaps(filled, texels), size, size);
  const outer = paddingOf(withAll(filled, texels), size, gap + 2);
  const plain = (
    kind: BakedKind,
    data: Uint8Array | Uint16Array,
    channels: 1 | 3,
    range?: [number, number],
  ): BakedMap => ({
    kind,
    width: size,
    height: size,
    channels,
    data,
    ...(range ? { range } : {}),
  });
  const maps = [
    plain('normal', normal, 3),
    plain('object-normal', object, 3),
    plain('displacement', displacement, 1, [(-far * MIDDLE) / 32_767, far]),
    plain('occlusion', occlusion, 1),
    plain('curvature', curvature, 1, [-bend, bend]),
    ...(invented ? [plain('invented', invented, 1)] : []),
    ...(expected ? [plain('expected-error', expected, 1, [0, doubt])] : []),
  ];
  for (const { data, channels } of [...maps, { data: color, channels: 3 }]) {
    pad(data, channels, inner);
    pad(data, channels, outer);
  }
  return { color: { width: size, height: size, data: color }, maps: [...maps, plain('failed', lost, 1)], failed };
}

/** The light surface's own frame at a texel, between the corners of its triangle. */
class TexelFrame {
  readonly share = new Float64Array(3);
  private readonly up = new Float64Array(3);
  private readonly along = new Float64Array(3);

  constructor(private readonly layout: MapLayout) {}

  /** Turns a unit vector from the object's frame into the texel's: along U, along V upwards, along the normal. */
  toTangentSpace(t: number, n: Float64Array): void {
    const { light, tangents } = this.layout;
    const { share, up, along } = this;
    up.fill(0);
    along.fill(0);
    for (let c = 0; c < 3; c++) {
      const v = 3 * light.indices[3 * t + c];
      for (let k = 0; k < 3; k++) {
        up[k] += share[c] * light.normals[v + k];
        along[k] += share[c] * tangents[12 * t + 4 * c + k];
      }
    }
    scaleToOne(up);
    scaleToOne(along);
    const sign = tangents[12 * t + 3];
    const x = n[0] * along[0] + n[1] * along[1] + n[2] * along[2];
    const bx = up[1] * along[2] - up[2] * along[1];
    const by = up[2] * along[0] - up[0] * along[2];
    const bz = up[0] * along[1] - up[1] * along[0];
    const across = Math.sqrt(bx * bx + by * by + bz * bz) || 1;
    const y = (sign * (n[0] * bx + n[1] * by + n[2] * bz)) / across;
    const z = n[0] * up[0] + n[1] * up[1] + n[2] * up[2];
    const length = Math.sqrt(x * x + y * y + z * z) || 1;
    n[0] = x / length;
    n[1] = y / length;
    n[2] = z / length;
  }
}

function scaleToOne(v: Float64Array): void {
  const length = Math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]) || 1;
  for (let k = 0; k < 3; k++) v[k] /= length;
}

const finite = (value: number, otherwise: number): number => (Number.isFinite(value) ? value : otherwise);
const byteOf = (share: number): number => Math.round(255 * Math.max(0, Math.min(1, share)));

/** Farthest that the surfaces lie apart, mm; never 0. */
function farthest({ state, offset }: FoundDetail): number {
  let most = 0;
  for (let s = 0; s < state.length; s++) if (state[s] === FOUND) most = Math.max(most, Math.abs(offset[s]));
  return most || 1e-3;
}

/** Amount that most values stay below; never 0. */
function usualMost(values: Float32Array): number {
  const step = Math.max(1, Math.floor(values.length / 50_000));
  const some: number[] = [];
  for (let i = 0; i < values.length; i += step) if (Number.isFinite(values[i])) some.push(Math.abs(values[i]));
  some.sort((a, b) => a - b);
  return some[Math.floor(WITHIN * (some.length - 1))] || 1e-6;
}

/** As if everything between the charts were filled. */
function withoutGaps(filled: Uint8Array, { texel }: MapTexels): Uint8Array {
  const out = new Uint8Array(filled.length).fill(2);
  for (const at of texel) out[at] = filled[at];
  return out;
}

/** As if every texel of the charts were filled. */
function withAll(filled: Uint8Array, { texel }: MapTexels): Uint8Array {
  const out = filled.slice();
  for (const at of texel) out[at] = 1;
  return out;
}
