import { defineOperation } from './operation.js';
import { shareText } from './quantity-text.js';
import type { LightChoice } from '@amber-knit/core/texture';
import { ChoiceParam, CountParam, FlagParam, PicturesParam, RatioParam, type AskedPicture } from './params.js';

export class TextureMapParams {
  static readonly retired = ['balance', 'suppressGlare'];

  @CountParam({
    title: 'Map size',
    unit: 'pixels',
    min: 0,
    max: 8192,
    help: 'Edge of the square map; empty or 0 takes the smallest that holds what the pictures show, up to 4096.',
    whenEmpty: 'as the pictures',
  })
  mapSize = 2048;

  @CountParam({
    title: 'Gap',
    more: true,
    unit: 'pixels',
    min: 1,
    max: 64,
    help: 'Space between islands and to the border, filled with the neighbouring colour.',
  })
  gap = 4;

  @ChoiceParam({
    title: 'Light',
    choices: { 'taken-out': 'Taken out', even: 'Even', 'as-seen': 'As seen' },
    help: 'Taken out: the colour of the object alone, without lamps, shadows and highlights; needs places that several pictures see. Even: all pictures equally bright and white. As seen: pictures as they are.',
  })
  light: LightChoice = 'taken-out';

  @FlagParam({
    title: 'Align pictures',
    more: true,
    help: 'Moves the pictures by parts of a pixel or a few, until lines in them meet: poses are never quite exact.',
  })
  align = true;

  @RatioParam({
    title: 'Sharpness',
    more: true,
    min: 1,
    max: 12,
    help: 'How much the best picture outweighs the others: high is sharper, low is smoother.',
  })
  sharpness = 3;

  @PicturesParam({
    title: 'Pictures',
    help: 'What is asked of single pictures: not to colour with one, or rather with it than with others, everywhere or in a ball. In the bench they are chosen in the view.',
  })
  pictures: AskedPicture[] = [];
}

export const textureMap = defineOperation({
  id: 'texture.map',
  version: 3,
  stage: 'texture',
  title: 'Colour the surface',
  help: 'Unfolds the surface onto a map and colours it from the pictures that see each place best, lamps, shadows and highlights taken out; from point colours where there are no pictures.',
  words: 'texture texturing uv unwrap map photos photographs images atlas',
  needs: ['mesh'],
  uses: ['scans', 'placements'],
  gives: ['model'],
  params: TextureMapParams,
  suggest: (s) => (s.plan ? { mapSize: s.plan.mapSize } : {}),
  because: (s) => (s.plan ? { mapSize: 'From the plan: what the model is for.' } : {}),
  async run({ mesh, scans, placements }, params, ctx) {
    const { textureMesh } = await import('@amber-knit/core/texture');
    const { pictures: wishes, ...options } = params;
    const r = await textureMesh(mesh, scans ?? [], placements ?? [], { ...options, wishes }, ctx);
    return {
      outputs: { model: r.mesh },
      figures: {
        images: r.images,
        ...(wishes.length > 0 ? { wishes: wishes.length } : {}),
        ...(r.images > 1 && params.light === 'taken-out' ? { lightTold: r.lightTold } : {}),
        moved: r.moved,
        ...(r.disagreement === undefined ? {} : { disagreement: r.disagreement }),
        charts: r.charts,
        coverage: r.coverage,
        pixelsPerMm: r.density,
        seenRatio: r.seenRatio,
        stretch95: r.stretch95,
        mapSize: r.mapSize,
      },
    };
  },
  figures: {
    mapSize: { kind: 'count', rank: 'headline', label: 'Map', help: 'Width and height of the map.', unit: 'px' },
    pixelsPerMm: {
      kind: 'number',
      rank: 'headline',
      label: 'Pixels a millimetre',
      help: 'How fine the map is on the surface. More than the pictures have brings nothing.',
    },
    images: { kind: 'count', rank: 'detail', label: 'Pictures', help: 'Pictures that coloured something.' },
    wishes: {
      kind: 'count',
      rank: 'detail',
      label: 'Asked of pictures',
      help: 'Pictures that were left out or preferred, everywhere or at a place.',
    },
    lightTold: {
      kind: 'flag',
      rank: 'detail',
      label: 'Light taken out',
      help: 'Whether the pictures tell lamps and shadows from paint: they do where several look at one place from several sides, or in two setups. Otherwise only exposure and white are evened.',
    },
    moved: {
      kind: 'number',
      rank: 'diagnostic',
      label: 'Pictures moved',
      help: 'How far the pictures were moved to show the same, in the middle of them, pixels. More than ten: look at the frames’ poses. The limits are common practice, no source.',
      unit: 'px',
      limits: { good: 3, bad: 10 },
    },
    disagreement: {
      kind: 'ratio',
      rank: 'diagnostic',
      label: 'Pictures differ by',
      help: 'How much of the light two pictures of one place differ by once exposure and light are taken out, half of all places less. The limits are common practice, no source.',
      limits: { good: 0.08, bad: 0.2 },
    },
    seenRatio: {
      kind: 'ratio',
      rank: 'headline',
      label: 'Seen in pictures',
      help: 'Share of the surface that a picture saw; the rest is coloured from around. The limits are common practice, no source.',
      limits: { good: 0.95, bad: 0.7 },
    },
    charts: {
      kind: 'count',
      rank: 'detail',
      label: 'Islands',
      help: 'Pieces that the surface was cut into to lie flat.',
    },
    coverage: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Map used',
      help: 'Share of the map that lies on the surface. The limits are common practice, no source.',
      limits: { good: 0.6, bad: 0.3 },
    },
    stretch95: {
      kind: 'number',
      rank: 'diagnostic',
      label: 'Stretch',
      help: 'How much larger a length is in one direction than in another on the map: 19 of 20 places have less. The limits are common practice, no source.',
      limits: { good: 1.5, bad: 3 },
    },
  },
  summarize: (f) =>
    `${f.mapSize}² map from ${f.images} pictures, ${f.charts} islands, ${shareText(f.coverage)} of the map used`,
  cell: (f) => ({ figure: `${f.mapSize}²`, detail: '' }),
});
