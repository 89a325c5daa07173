import { defineOperation } from './operation.js';
import { CountParam, FlagParam, RatioParam } from './params.js';

export class TextureMapParams {
  @CountParam({ title: 'Map size', unit: 'pixels', min: 256, max: 8192, help: 'Edge of the square map.' })
  mapSize = 2048;

  @CountParam({
    title: 'Gap',
    unit: 'pixels',
    min: 1,
    max: 64,
    help: 'Space between islands and to the border, filled with the neighbouring colour.',
  })
  gap = 4;

  @FlagParam({ title: 'Even out brightness', help: 'Makes the pictures equally bright where they overlap.' })
  balance = true;

  @FlagParam({ title: 'Suppress glare', help: 'Ignores what is much brighter in one picture than in the others.' })
  suppressGlare = true;

  @RatioParam({
    title: 'Sharpness',
    min: 1,
    max: 12,
    help: 'How much the best picture outweighs the others: high is sharper, low is smoother.',
  })
  sharpness = 3;
}

export const textureMap = defineOperation({
  id: 'texture.map',
  version: 1,
  stage: 'texture',
  title: 'Colour the surface',
  help: 'Unfolds the surface onto a map and colours it from the pictures that see each place best; from point colours where there are no pictures.',
  needs: ['mesh'],
  uses: ['scans', 'placements'],
  gives: ['model'],
  params: TextureMapParams,
  suggest: (s) => (s.plan ? { mapSize: s.plan.mapSize } : {}),
  async run({ mesh, scans, placements }, params, ctx) {
    const { textureMesh } = await import('@amber-knit/core/texture');
    const r = textureMesh(mesh, scans ?? [], placements ?? [], params, ctx);
    return {
      outputs: { model: r.mesh },
      figures: {
        images: r.images,
        charts: r.charts,
        coverage: r.coverage,
        pixelsPerMm: r.density,
        seenRatio: r.seenRatio,
        stretch95: r.stretch95,
        mapSize: params.mapSize,
      },
    };
  },
  summarize: (f) =>
    `${f.mapSize}² map from ${f.images} pictures, ${f.charts} islands, ${(100 * Number(f.coverage)).toFixed(0)} % of the map used`,
});
