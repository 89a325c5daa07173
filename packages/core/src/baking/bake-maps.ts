import type { LightModel } from '../geometry/light-model.js';
import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { vertexNormals, type NormalMesh, type TexturedMesh, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { meanEdgeLength } from '../mesh/repair.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { mapTexels, UNWRAP_DEFAULTS, unwrapMesh, uvsOf, type UnwrapOptions } from '../unwrapping/index.js';
import { cageOf, type ReachRegion } from './cage.js';
import { meanCurvature } from './curvature.js';
import { failedPlaces } from './failed-places.js';
import { findDetail } from './find-detail.js';
import { openToLight } from './occlusion.js';
import { normalsOff } from './normals-off.js';
import { paintMaps } from './paint-maps.js';
import { cornerTangents } from './tangents.js';

export interface BakeOptions extends UnwrapOptions {
  /** How far off the light surface the dense one is looked for, mm; 0 lets the surfaces tell, place by place. */
  reach: number;
  /** Places where that is to be something else; the last that holds counts. */
  regions: readonly ReachRegion[];
}

export const BAKE_DEFAULTS: BakeOptions = { ...UNWRAP_DEFAULTS, reach: 0, regions: [] };

export interface BakeResult {
  model: LightModel;
  charts: number;
  /** Share of the map that lies on the surface. */
  coverage: number;
  density: number;
  stretch95: number;
  /** Share of the charts' texels that found no detail, or only smeared. */
  failedShare: number;
  /** Places that failed; the list holds the largest. */
  failedPlaces: number;
  /** Mean angle between the normals that the model shows and the dense surface's, radians. */
  normalsOff: number;
  /** Greatest reach of the cage, mm. */
  reach: number;
  /** Greatest displacement, mm. */
  displacement: number;
}

/** Nothing farther than this share of the size takes light away. */
const OCCLUSION_REACH = 0.25;
/** More places in a texel than this, along each side, bring nothing. */
const MOST_ACROSS = 3;

/**
 * Carries the detail of a dense surface over to a light one: unwraps the light one and looks from each texel along its smooth
 * normal for the dense surface (`DetailSearcher`), within a cage that follows how far the two lie apart (`cageOf`). Gives normals
 * (in the light surface's tangent space and the object's), displacement, openness to light, curvature, what is invented and
 * expected errors as maps, and the dense surface's colours.
 * Source: P. Cignoni, C. Montani, C. Rocchini, R. Scopigno (1998), A general method for preserving attribute values on simplified
 * meshes.
 *
 * @throws GeometryError `empty` if one of the surfaces has no triangles
 */
export async function bakeMaps(
  dense: TriangleMesh | TexturedMesh,
  bare: TriangleMesh,
  options: Partial<BakeOptions>,
  ctx: RunContext,
): Promise<BakeResult> {
  const o = { ...BAKE_DEFAULTS, ...options };
  if (dense.indices.length === 0 || bare.indices.length === 0)
    throw new GeometryError('empty-input', 'There is no surface to bake. Fuse the scans first.');
  const light: NormalMesh = { ...bare, normals: vertexNormals(bare) };
  const detailed = { ...dense, normals: dense.normals ?? vertexNormals(dense) };
  const atlas = await unwrapMesh(light, o, ctx.part(0, 0.3, 'Unwrapping'));
  const texels = mapTexels(atlas.cornerPixels, o.mapSize);
  const cornerUvs = uvsOf(atlas.cornerPixels, o.mapSize);
  const tangents = await cornerTangents(light, cornerUvs);
  const cage = cageOf(detailed, light, o.reach, o.regions, ctx.part(0.3, 0.4, 'How far the surfaces lie apart'));
  const found = await findDetail(
    {
      dense: { positions: detailed.positions, indices: detailed.indices },
      light: { positions: light.positions, indices: light.indices, normals: light.normals },
      cage,
      cornerPixels: atlas.cornerPixels,
      size: o.mapSize,
      texels,
      across: acrossOf(detailed, texels.texel.length),
    },
    ctx.part(0.4, 0.65, 'Looking for detail'),
  );
  const open = await openToLight(
    detailed,
    OCCLUSION_REACH * diagonalOf(boundsOf(detailed.positions)),
    meanEdgeLength(detailed) / 20,
    ctx.part(0.65, 0.85, 'How open to light'),
  );
  const painted = paintMaps(
    { mesh: detailed, open, curvature: meanCurvature(detailed) },
    { light, cornerPixels: atlas.cornerPixels, tangents, size: o.mapSize, gap: o.gap, texels },
    found,
    ctx.part(0.85, 0.98, 'Painting the maps'),
  );
  const failed = failedPlaces(light, { counts: painted.failed, texelArea: 1 / atlas.density ** 2 });
  const model: LightModel = {
    ...light,
    cornerUvs,
    cornerTangents: tangents,
    texture: painted.color,
    maps: painted.maps,
    failed,
  };
  const lost = painted.failed.reduce((sum, count) => sum + count, 0);
  ctx.checkpoint(1);
  return {
    model,
    normalsOff: normalsOff(detailed, model),
    charts: atlas.charts,
    coverage: atlas.coverage,
    density: atlas.density,
    stretch95: atlas.stretch95,
    failedShare:
      lost /
      Math.max(
        1,
        texels.inside.reduce((sum, i) => sum + i, 0),
      ),
    failedPlaces: failed.length,
    reach: cage.outwards.reduce((most, r, v) => Math.max(most, r, cage.inwards[v]), 0),
    displacement: painted.maps.find((x) => x.kind === 'displacement')!.range![1],
  };
}

/** Places looked from along each side of a texel: as many as triangles of the dense surface share it. */
function acrossOf({ indices }: TriangleMesh, texels: number): number {
  return Math.max(1, Math.min(MOST_ACROSS, Math.ceil(Math.sqrt(indices.length / 3 / Math.max(1, texels)))));
}
