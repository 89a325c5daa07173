import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { ChoiceParam, LengthParam } from './params.js';
import { countText, lengthText, shareText } from './quantity-text.js';

export class CheckWallsParams {
  @LengthParam({
    title: 'Thinnest wall',
    help: 'Walls thinner than this are counted and listed. 1.2 mm suits many printers; common practice, no source.',
    min: 0.01,
    max: 1000,
  })
  wall = 1.2;

  @ChoiceParam({
    title: 'Measured',
    help: 'Straight through: from each place inwards to the other side. By a ball: the largest that fits in between, which never says more than the wall has, also where its sides are not parallel.',
    choices: { ray: 'Straight through', ball: 'By a ball' },
  })
  method: 'ray' | 'ball' = 'ray';
}

/** How thick the walls are, all over. */
export const checkWalls = defineOperation({
  id: OPERATION_IDS.checkWalls,
  version: 1,
  stage: 'check',
  title: 'Walls',
  help: 'Measures the wall behind every place of the surface and tells where it is thinner than wanted.',
  byHand: true,
  needs: ['mesh'],
  gives: [],
  params: CheckWallsParams,
  suggest: () => ({}),
  async run({ mesh }, { wall, method }, ctx) {
    const { wallMap } = await import('@amber-knit/core/measure');
    const { thinRatio, unsureRatio, thinnest, places } = wallMap(mesh, wall, method, ctx);
    return {
      outputs: {},
      figures: {
        thin: thinRatio,
        places: places.length,
        ...(thinnest > 0 ? { thinnest } : {}),
        unsure: unsureRatio,
        least: wall,
        method: method === 'ray' ? 'straight through' : 'by a ball',
      },
    };
  },
  figures: {
    thin: {
      kind: 'ratio',
      rank: 'headline',
      label: 'Too thin',
      help: 'Share of the surface whose wall is thinner than wanted.',
      limits: { good: 0.001, bad: 0.05 },
    },
    thinnest: {
      kind: 'length',
      rank: 'headline',
      label: 'Thinnest wall',
      help: 'Where a thousandth of the surface has thinner walls; missing where no wall is below eight times what is wanted.',
    },
    places: {
      kind: 'count',
      rank: 'detail',
      label: 'Thin places',
      help: 'Connected places that are too thin, thirty at most.',
      limits: { good: 0, bad: 1 },
    },
    unsure: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Of that unsure',
      help: 'Share of the thin surface where the expected error is so large that the wall may be thick enough (two standard deviations).',
    },
    least: { kind: 'length', rank: 'detail', label: 'Wanted', help: 'The thinnest wall that is wanted.' },
    method: { kind: 'text', rank: 'diagnostic', label: 'Measured', help: 'How the walls were measured.' },
  },
  summarize: (f) =>
    f.places
      ? `${shareText(f.thin)} of the surface thinner than ${lengthText(f.least)}, in ${countText(f.places)} ${f.places === 1 ? 'place' : 'places'}`
      : `No wall thinner than ${lengthText(f.least)}`,
  cell: (f) => ({ figure: `${shareText(f.thin)} thin`, detail: `below ${lengthText(f.least)}` }),
});
