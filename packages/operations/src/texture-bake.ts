import { triangleCount } from '@amber-knit/core/geometry';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { CountParam, LengthParam, ReachesParam, type AskedReach } from './params.js';
import { countText, angleText, shareText, shortCountText } from './quantity-text.js';
import { SURFACE_FIGURES } from './surface-figures.js';
import { remade } from './surface-remade.js';

export class TextureBakeParams {
  @CountParam({
    title: 'Triangles',
    min: 100,
    max: 2_000_000,
    help: 'Wanted number of triangles of the light model: tens of thousands for a page or a game, fewer for many objects at once.',
  })
  triangles = 20_000;

  @CountParam({ title: 'Map size', unit: 'pixels', min: 64, max: 8192, help: 'Edge of the square maps.' })
  mapSize = 2048;

  @CountParam({
    title: 'Gap',
    more: true,
    unit: 'pixels',
    min: 1,
    max: 64,
    help: 'Space between islands and to the border, filled with the neighbouring values.',
  })
  gap = 4;

  @LengthParam({
    title: 'Look for detail within',
    more: true,
    min: 0,
    max: 1000,
    help: 'How far off the light surface the dense one is looked for, to both sides; empty or 0: as far as the two lie apart, place by place. Never farther than to the middle of a wall.',
    whenEmpty: 'as they lie apart',
  })
  reach = 0;

  @ReachesParam({ title: 'Other places', help: 'Places where detail is looked for farther or less far.' })
  reaches: AskedReach[] = [];
}

/** Carries the detail of the surface over to a light one. */
export const textureBake = defineOperation({
  id: OPERATION_IDS.textureBake,
  version: 1,
  stage: 'texture',
  title: 'Make a light model',
  help: 'Makes a surface of few triangles and carries the detail of the whole one over to its maps: normals, height, openness to light, curvature, colour, what is invented and how sure it is. The whole surface stays as it is.',
  words: 'bake baking normal map low poly lowpoly games displacement occlusion',
  needs: ['mesh'],
  uses: ['model'],
  gives: ['light'],
  params: TextureBakeParams,
  suggest: (s) => (s.triangles > 0 ? { triangles: Math.max(100, Math.min(20_000, Math.round(s.triangles / 4))) } : {}),
  because: (s) => (s.triangles > 0 && s.triangles < 80_000 ? { triangles: 'A quarter of what there are.' } : {}),
  async run({ mesh, model }, params, ctx) {
    const { bakeMaps } = await import('@amber-knit/core/baking');
    const { reduceMesh } = await import('@amber-knit/core/remeshing');
    const dense = model ?? mesh;
    const fewer = reduceMesh(dense, { triangles: params.triangles, maxDeviation: 0 }, ctx.part(0, 0.15, 'Reducing'));
    const { light, moved } = await remade(dense, fewer, ctx.part(0.15, 0.25));
    const regions = params.reaches.map(({ ball, reach }) => ({ ball, reach }));
    const { mapSize, gap, reach } = params;
    const r = await bakeMaps(dense, light, { mapSize, gap, reach, regions }, ctx.part(0.25, 1));
    return {
      outputs: { light: r.model },
      figures: {
        trianglesBefore: triangleCount(dense),
        triangles: triangleCount(light),
        mapSize,
        normalsOff: r.normalsOff,
        failedRatio: r.failedShare,
        failedPlaces: r.failedPlaces,
        deviationRms: moved.rms,
        deviationMax: moved.max,
        height: r.displacement,
        reach: r.reach,
        charts: r.charts,
        coverage: r.coverage,
        pixelsPerMm: r.density,
      },
    };
  },
  figures: {
    triangles: { kind: 'count', rank: 'headline', label: 'Triangles', help: 'Triangles of the light model.' },
    mapSize: { kind: 'count', rank: 'headline', label: 'Maps', help: 'Width and height of the maps.', unit: 'px' },
    normalsOff: {
      kind: 'angle',
      rank: 'headline',
      label: 'Normals off by',
      help: 'Mean angle between what the light model shows with its map of normals and the whole surface, measured at places spread over it. The limits are common practice, no source.',
      limits: { good: 0.07, bad: 0.17 },
    },
    failedRatio: {
      kind: 'ratio',
      rank: 'headline',
      label: 'Detail lost',
      help: 'Share of the maps that found nothing of the whole surface, or only slantwise. The places are listed. The limits are common practice, no source.',
      limits: { good: 0.003, bad: 0.03 },
    },
    failedPlaces: { kind: 'count', rank: 'detail', label: 'Places lost', help: 'Places that are listed.' },
    trianglesBefore: {
      kind: 'count',
      rank: 'detail',
      label: 'Triangles before',
      help: 'Triangles of the whole surface.',
    },
    deviationRms: SURFACE_FIGURES.deviationRms,
    deviationMax: SURFACE_FIGURES.deviationMax,
    height: {
      kind: 'length',
      rank: 'detail',
      label: 'Greatest height',
      help: 'How far the whole surface lies off the light one at most: what black and white of the map of heights stand for.',
    },
    reach: {
      kind: 'length',
      rank: 'diagnostic',
      label: 'Looked within',
      help: 'How far off the light surface the whole one was looked for, where it was farthest.',
    },
    charts: {
      kind: 'count',
      rank: 'detail',
      label: 'Islands',
      help: 'Pieces that the light surface was cut into to lie flat.',
    },
    coverage: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Map used',
      help: 'Share of the map that lies on the surface. The limits are common practice, no source.',
      limits: { good: 0.6, bad: 0.3 },
    },
    pixelsPerMm: {
      kind: 'number',
      rank: 'detail',
      label: 'Pixels a millimetre',
      help: 'How fine the maps are on the surface.',
    },
  },
  summarize: (f) =>
    `${countText(f.trianglesBefore)} to ${countText(f.triangles)} triangles, ${f.mapSize}² maps, normals off by ${angleText(f.normalsOff ?? 0)}, ${shareText(f.failedRatio)} lost`,
  cell: (f) => ({ figure: `${shortCountText(f.triangles)} tri`, detail: `${f.mapSize}² maps` }),
});
