import { quickSrgbOfLight } from '../geometry/srgb.js';
import type { ColorImage, NormalMesh } from '../geometry/triangle-mesh.js';
import { mapTask } from '../runtime/map-task.js';
import type { RunContext } from '../runtime/run-context.js';
import { cornerShares, mapTexels, MID_TONE, pad, paddingOf, type UnwrapOptions } from '../unwrapping/index.js';
import { CorrectionGrid } from './correction-grid.js';
import type { FrameView } from './frame-views.js';
import type { LightModel } from './light-model.js';
import { LitSurface } from './lit-surface.js';
import { TexelPainter } from './texel-painter.js';

/** All that the colour of a texel follows from, as plain data. */
export interface PaintSources {
  mesh: NormalMesh;
  views: readonly FrameView[];
  model: LightModel;
  /** What each view's correction has learnt, see `CorrectionGrid`. */
  corrections: (Float32Array | undefined)[];
  /** Light of the paint at each vertex where no view tells, 3n. */
  fill: Float32Array;
  /** From paint to the map's light, three channels. */
  scale: [number, number, number];
  sharpness: number;
}

interface PaintShare extends PaintSources {
  cornerPixels: Float32Array;
  mapSize: number;
}

/** A run of triangles with their texels. */
interface PaintedRun {
  from: number;
  to: number;
  /** Texels of triangle t begin at first[t - from] - first[0] of `texel`; `inside` tells those whose middle lies in it. */
  first: Uint32Array;
  texel: Uint32Array;
  inside: Uint8Array;
}

/** A run's colours, three bytes a texel; texels inside, and how many of them a view saw. */
interface RunColors {
  colors: Uint8Array;
  inside: number;
  seen: number;
}

/** Triangles are painted in about so many runs. */
const RUNS = 24;
/** Copies of the pictures for the other cores may take so many bytes together; beyond that one core paints. */
const MOST_COPIED = 800e6;

/** Paints every texel of every triangle, and the padding around the charts. @returns also the share of the surface that views saw */
export async function paintMap(
  sources: PaintSources,
  cornerPixels: Float32Array,
  { mapSize: size, gap }: UnwrapOptions,
  ctx: RunContext,
): Promise<{ texture: ColorImage; seenRatio: number }> {
  const data = new Uint8Array(3 * size * size).fill(MID_TONE);
  const filled = new Uint8Array(size * size);
  const { texel, first, inside } = mapTexels(cornerPixels, size);
  const runs: PaintedRun[] = [];
  const m = sources.mesh.indices.length / 3;
  for (let from = 0, to = 0; from < m; from = to) {
    const last = first[from] + texel.length / RUNS;
    while (to < m && (to === from || first[to + 1] <= last)) to++;
    const [begin, end] = [first[from], first[to]];
    runs.push({
      from,
      to,
      first: first.slice(from, to + 1),
      texel: texel.slice(begin, end),
      inside: inside.slice(begin, end),
    });
  }
  const copied = (ctx.pool?.size ?? 0) * sources.views.reduce((sum, v) => sum + v.image.data.length, 0);
  const own = copied > MOST_COPIED ? { ...ctx, pool: undefined } : ctx;
  const painted = await mapTask('paint-run', paintRunTask, { ...sources, cornerPixels, mapSize: size }, runs, own);
  let texels = 0;
  let seen = 0;
  runs.forEach((run, r) => {
    const { colors } = painted[r];
    run.texel.forEach((at, i) => {
      for (let k = 0; k < 3; k++) data[3 * at + k] = colors[3 * i + k];
      filled[at] = 1;
    });
    texels += painted[r].inside;
    seen += painted[r].seen;
  });
  pad(data, 3, paddingOf(filled, size, gap + 2));
  return { texture: { width: size, height: size, data }, seenRatio: texels > 0 ? seen / texels : 0 };
}

/** The painter of a share, made with its first run. */
const painters = new WeakMap<PaintShare, TexelPainter>();

function painterOf(share: PaintShare): TexelPainter {
  let painter = painters.get(share);
  if (!painter) {
    const { mesh, views, model, corrections, fill, scale, sharpness } = share;
    const grids = views.map((view, i) => new CorrectionGrid(view).restore(corrections[i]));
    painter = new TexelPainter(mesh, views, new LitSurface(mesh, views, model), grids, fill, scale, sharpness);
    painters.set(share, painter);
  }
  return painter;
}

/** Paints the texels of one run of triangles. */
export function paintRunTask(share: PaintShare, { from, to, first, texel, inside }: PaintedRun): RunColors {
  const painter = painterOf(share);
  const { cornerPixels: q, mapSize: size } = share;
  const colors = new Uint8Array(3 * texel.length);
  const light = new Float32Array(3);
  const shares = new Float64Array(3);
  let count = 0;
  let seen = 0;
  for (let t = from; t < to; t++) {
    const begin = first[t - from] - first[0];
    const end = first[t - from + 1] - first[0];
    if (begin === end) continue;
    painter.start(t);
    for (let i = begin; i < end; i++) {
      const at = texel[i];
      cornerShares(q, t, (at % size) + 0.5, Math.floor(at / size) + 0.5, shares);
      const cover = painter.paint(shares[0], shares[1], shares[2], light, 0);
      for (let k = 0; k < 3; k++) colors[3 * i + k] = Math.round(quickSrgbOfLight(light[k]));
      if (!inside[i]) continue;
      count++;
      seen += cover;
    }
  }
  return { colors, inside: count, seen };
}
