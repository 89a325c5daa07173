import type { Placement, Scan } from '../geometry/scan.js';
import {
  vertexCount,
  vertexNormals,
  type NormalMesh,
  type TexturedMesh,
  type TriangleMesh,
} from '../geometry/triangle-mesh.js';
import { simplifyMesh } from '../mesh/simplify.js';
import type { RunContext } from '../runtime/run-context.js';
import { alignViews } from './align-views.js';
import { agreeViews, type Agreement } from './agree-views.js';
import { avoidGlare } from './avoid-glare.js';
import { CoarsePicture } from './coarse-picture.js';
import { fillUnseen } from './fill-unseen.js';
import { fitLight } from './fit-light.js';
import { colorFrames, seeAgain, viewsOfFrames, type ColorFrame, type FrameView } from './frame-views.js';
import { LitSurface } from './lit-surface.js';
import { mapSizeFor } from './map-size.js';
import { paintMap } from './paint-map.js';
import { bestViews, heedWishes, wishesOfNone, withoutUnwanted, type PictureWish } from './picture-wishes.js';
import { UNWRAP_DEFAULTS, unwrapBeside, uvsOf, type UnwrapOptions } from '../unwrapping/index.js';

/** What becomes of the light in the pictures. */
export type LightChoice = 'taken-out' | 'even' | 'as-seen';

export interface TextureMeshOptions extends UnwrapOptions {
  /**
   * `taken-out`: the colour of the paint alone; `even`: pictures made equally bright and white where they overlap; `as-seen`: as they are.
   */
  light: LightChoice;
  /** Moves the images so that they show the same at the same places; poses are never quite exact. */
  align: boolean;
  /** How much the best-seeing image outweighs the others; 1 = even mixing. */
  sharpness: number;
  /** Pictures that are not wanted, or rather than others, everywhere or at a place. */
  wishes: readonly PictureWish[];
}

export const TEXTURE_MESH_DEFAULTS: TextureMeshOptions = {
  ...UNWRAP_DEFAULTS,
  light: 'taken-out',
  align: true,
  sharpness: 3,
  wishes: [],
};

export interface TextureMeshResult {
  mesh: TexturedMesh;
  /** Edge of the map, pixels. */
  mapSize: number;
  charts: number;
  coverage: number;
  density: number;
  stretch95: number;
  /** Images used; 0 means that colours came from the vertices. */
  images: number;
  /** Share of the charts' texels that an image saw (0–1). */
  seenRatio: number;
  /** How far the images were moved to show the same, median, pixels. */
  moved: number;
  /** Whether light could be told from paint and was taken out. */
  lightTold: boolean;
  /** Median difference of what two images see of one place, share of the light; absent without images. */
  disagreement?: number;
}

/**
 * Unwraps a mesh and colours its map from the images that see each place best, light and exposure taken out of them (`fitLight`),
 * what doesn't follow left to others (`agreeViews`), mixed smoothly; where no image sees it, from vertex colours and from around.
 * Every texel inside a chart gets a colour, and charts are padded outwards by the gap. A map size of 0 means one that holds what the
 * pictures show (`mapSizeFor`).
 * Source of the weighting: C. Rocchini, P. Cignoni, C. Montani, R. Scopigno (1999), Multiple textures stitching and
 * blending on 3D objects.
 */
export async function textureMesh(
  bare: TriangleMesh,
  scans: Scan[],
  placements: Placement[],
  options: Partial<TextureMeshOptions>,
  ctx: RunContext,
): Promise<TextureMeshResult> {
  const { mapSize: asked, ...rest } = { ...TEXTURE_MESH_DEFAULTS, ...options };
  const all = colorFrames(scans, placements);
  for (const { scan, frame } of wishesOfNone(all, rest.wishes))
    ctx.note(`There is no picture "${frame}" of "${scan}": what was asked of it is left out.`);
  const frames = withoutUnwanted(all, rest.wishes);
  const o = { ...rest, mapSize: asked || mapSizeFor(bare, frames) };
  const mesh: NormalMesh = { ...bare, normals: bare.normals ?? vertexNormals(bare) };
  const unwrapping = unwrapBeside(mesh, o, ctx.part(0, 0.25, 'Unwrapping'));
  // Without another core that comes first.
  if (!ctx.pool) await unwrapping;
  const views = await viewsOfFrames(mesh, frames, ctx.part(0.25, 0.35, 'Finding what each image sees'));
  const caster = await simplifyMesh(mesh, SHADOW_TRIANGLES);
  const seen = await lookAtPaint(mesh, caster, frames, views, o, ctx.part(0.35, 0.7, 'Telling light from paint'));
  const atlas = await unwrapping;
  const { lit, agreement, scale } = seen;
  const painted = await paintMap(
    {
      mesh: { positions: mesh.positions, indices: mesh.indices, normals: mesh.normals },
      views,
      model: lit.model,
      corrections: agreement.corrections.map((c) => c.learnt()),
      fill: fillUnseen(mesh, agreement.paint),
      scale,
      sharpness: o.sharpness,
    },
    atlas.cornerPixels,
    o,
    ctx.part(0.7, 0.98, 'Painting the map'),
  );
  const size = o.mapSize;
  const cornerUvs = uvsOf(atlas.cornerPixels, size);
  ctx.checkpoint(1);
  return {
    mesh: {
      ...mesh,
      ...(views.length > 0
        ? { coloredBy: bestViews(vertexCount(mesh), views), pictures: views.map((v) => v.picture) }
        : {}),
      cornerUvs,
      texture: painted.texture,
    },
    mapSize: size,
    charts: atlas.charts,
    coverage: atlas.coverage,
    density: atlas.density,
    stretch95: atlas.stretch95,
    images: views.length,
    lightTold: seen.told,
    moved: seen.shifts.slice().sort()[seen.shifts.length >> 1] ?? 0,
    seenRatio: painted.seenRatio,
    ...(views.length > 0 && seen.misfit >= 0 ? { disagreement: Math.exp(seen.misfit) - 1 } : {}),
  };
}

interface SeenPaint {
  lit: LitSurface;
  agreement: Agreement;
  /** From paint to the map's light, three channels. */
  scale: [number, number, number];
  misfit: number;
  told: boolean;
  /** How far each view was moved, pixels. */
  shifts: Float32Array<ArrayBuffer>;
}

/** Shadows are cast by a mesh of about so many triangles. */
const SHADOW_TRIANGLES = 40_000;
/** Brighter than this no paint comes out, but for one texel in two hundred. */
const WHITEST = 0.95;

/** What light does to the views, and what they agree on without it. Lowers the views' quality where they show something else. */
async function lookAtPaint(
  mesh: NormalMesh,
  caster: TriangleMesh,
  frames: readonly ColorFrame[],
  views: FrameView[],
  { light, align, wishes }: TextureMeshOptions,
  ctx: RunContext,
): Promise<SeenPaint> {
  const pictures = views.map((v) => new CoarsePicture(v));
  // Pictures are aligned without their light, whatever becomes of it afterwards: it would mislead.
  const fit = fitLight(mesh, views, pictures, caster, ctx.part(0, 0.4));
  let shifts = new Float32Array(views.length);
  if (align) {
    avoidGlare(mesh, views, fit.model.lamps);
    shifts = alignViews(mesh, views, new LitSurface(mesh, views, fit.model), ctx.part(0.4, 0.6)).shifts;
    await seeAgain(mesh, frames, views, ctx.part(0.6, 0.7));
  }
  heedWishes(mesh, views, wishes);
  const model = light === 'taken-out' ? fit.model : fit.even;
  if (light === 'as-seen') model.gains.fill(1);
  else avoidGlare(mesh, views, fit.model.lamps);
  const lit = new LitSurface(mesh, views, model);
  const agreement = agreeViews(mesh, views, pictures, lit, light !== 'as-seen', ctx.part(0.7, 1));
  return {
    lit,
    agreement,
    scale: usualLight(mesh, views, lit, agreement.paint),
    misfit: fit.misfit,
    told: fit.told,
    shifts,
  };
}

/** So bright that the whole looks as bright as in the pictures, and as white. */
function usualLight(
  mesh: TriangleMesh,
  views: readonly FrameView[],
  lit: LitSurface,
  paint: Float32Array,
): [number, number, number] {
  const n = mesh.positions.length / 3;
  const factors = new Float64Array(3);
  const sums = [0, 0, 0];
  let count = 0;
  const step = Math.max(1, Math.floor(n / 20_000));
  const brightest: number[] = [];
  for (let v = 0; v < n; v += step) {
    if (!(paint[3 * v] > 0)) continue;
    for (let i = 0; i < views.length; i++) {
      if (views[i].quality[v] < 60) continue;
      lit.paintFactors(i, v, factors);
      for (let k = 0; k < 3; k++) sums[k] -= Math.log(factors[k]);
      count++;
    }
    brightest.push(Math.max(paint[3 * v], paint[3 * v + 1], paint[3 * v + 2]));
  }
  if (count === 0) return [1, 1, 1];
  const scale = sums.map((s) => Math.exp(s / count)) as [number, number, number];
  const top = brightest.sort((a, b) => a - b)[Math.floor(0.995 * (brightest.length - 1))];
  const most = Math.max(...scale);
  const held = Math.min(1, WHITEST / Math.max(1e-6, top * most));
  return scale.map((s) => s * held) as [number, number, number];
}
