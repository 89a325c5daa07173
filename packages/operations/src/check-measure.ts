import type { Dimension, DimensionSheet, MeasuredDimension } from '@amber-knit/core/dimensions';
import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { DimensionsParam, type AskedDimension } from './params.js';
import { countText, dimensionText, firstValueText } from './quantity-text.js';

export class CheckMeasureParams {
  @DimensionsParam({
    title: 'Dimensions',
    help: 'What is measured: a list of names, kinds and places. In the bench they are picked in the view.',
  })
  dimensions: AskedDimension[] = [];
}

/** Measures all dimensions of a piece on its surface as it stands. The whole sheet is a step: each change of it can be undone. */
export const checkMeasure = defineOperation({
  id: OPERATION_IDS.checkMeasure,
  version: 2,
  stage: 'check',
  title: 'Measure',
  help: 'Measures the dimensions that were picked, on the surface as it stands now.',
  byHand: true,
  needs: ['mesh'],
  uses: ['deviation'],
  gives: ['dimensions'],
  params: CheckMeasureParams,
  suggest: () => ({}),
  async run({ mesh, deviation }, { dimensions: asked }, ctx) {
    const { MeasuringGround } = await import('@amber-knit/core/dimensions');
    const found: MeasuredDimension[] = [];
    if (asked.length > 0) {
      const ground = new MeasuringGround(mesh, deviation?.values);
      for (const [i, dimension] of asked.entries()) {
        ctx.checkpoint(i / asked.length, dimension.name);
        found.push(ground.measure(dimension));
      }
    }
    const sheet: DimensionSheet = { asked, found };
    return {
      outputs: { dimensions: sheet },
      figures: {
        dimensions: found.length,
        lost: found.filter((f) => f.fault).length,
        invented: found.filter((f) => f.inventedRatio > 0).length,
        list: asked.map((a, i) => `${a.name}: ${headlineOf(found[i], a)}`).join('; '),
      },
    };
  },
  figures: {
    dimensions: {
      kind: 'count',
      rank: 'headline',
      label: 'Dimensions',
      help: 'Dimensions that are kept with the piece.',
    },
    lost: {
      kind: 'count',
      rank: 'headline',
      label: 'Not measured',
      help: 'Dimensions whose place is gone or unfit: the list says why. Pick them anew.',
      limits: { good: 0, bad: 1 },
    },
    invented: {
      kind: 'count',
      rank: 'detail',
      label: 'On invented surface',
      help: 'Dimensions that rest, in part at least, on places that no scan measured.',
      limits: { good: 0, bad: 1 },
    },
    list: { kind: 'text', rank: 'diagnostic', label: 'List', help: 'Each dimension with what it is first of all.' },
  },
  summarize: (f) =>
    `${countText(f.dimensions)} ${f.dimensions === 1 ? 'dimension' : 'dimensions'}${f.lost ? `, ${countText(f.lost)} of them not measured` : ''}`,
  cell: (f) => ({
    figure: `${countText(f.dimensions)} dim.`,
    detail: f.lost ? `${countText(f.lost)} not measured` : 'measured',
  }),
});

/** The first value of a dimension with its unit and twice its standard uncertainty. */
export function headlineOf({ values, fault }: MeasuredDimension, asked: Dimension): string {
  if (fault || values.length === 0) return 'not measured';
  return asked.kind === 'note' ? dimensionText(asked, { values }) : firstValueText(asked, values[0]);
}
