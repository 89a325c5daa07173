import type { Alignment } from '@amber-knit/core/comparison';
import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { ChoiceParam, LengthParam } from './params.js';
import { lengthText, shareText } from './quantity-text.js';
import { surfaceFromFile } from './read-surface.js';
import type { Unit } from './units.js';

export class CheckCompareParams {
  @ChoiceParam({
    title: 'Place',
    help: 'How the piece comes to lie on the reference: found from anywhere; fitted from where both lie now; or as they lie.',
    choices: { anywhere: 'Find it, then fit', near: 'Fit from here', 'as-is': 'As they lie' },
  })
  place: Alignment = 'anywhere';

  @LengthParam({
    title: 'Tolerance',
    help: 'Up to this the surface counts as right.',
    min: 0.001,
    max: 1000,
  })
  tolerance = 0.2;

  @ChoiceParam({
    title: 'Unit of the reference',
    help: 'Unit of the coordinates in its file. glTF and 3MF say theirs themselves.',
    choices: { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit = 'mm';

  @LengthParam({
    title: 'Nothing further off',
    help: 'What lies further off than this is taken for another place of the reference.',
    min: 0,
    max: 10_000,
    whenEmpty: 'from the reference',
    more: true,
  })
  limit = 0;
}

/** Compares the surface with a reference: a file with triangles. */
export const checkCompare = defineOperation({
  id: OPERATION_IDS.checkCompare,
  version: 1,
  stage: 'check',
  title: 'Compare with a reference',
  help: 'Lays the piece on a reference surface and measures how far each place lies off. What no scan measured does not count.',
  byHand: true,
  needs: ['mesh', 'file'],
  gives: ['deviation'],
  params: CheckCompareParams,
  suggest: () => ({}),
  async run({ mesh, file }, { place, tolerance, unit, limit }, ctx) {
    const { alignSurfaces, compareSurfaces } = await import('@amber-knit/core/comparison');
    const { rotationAngle } = await import('@amber-knit/core/math');
    const { mesh: reference, notes } = await surfaceFromFile(file.source ?? file.bytes, file.name, unit);
    notes.forEach((n) => ctx.note(n));
    const referenceFromPiece = await alignSurfaces(
      mesh,
      reference,
      place,
      ctx.part(0, 0.5, 'Laying it on the reference'),
    );
    const found = compareSurfaces(
      mesh,
      reference,
      referenceFromPiece,
      { tolerance, limit },
      ctx.part(0.5, 1, 'Comparing'),
    );
    return {
      outputs: {
        deviation: {
          values: found.deviations,
          tolerance,
          reference: file.name,
          referenceFromPiece: Array.from(referenceFromPiece),
          worst: found.worst,
        },
      },
      figures: {
        within: found.withinRatio,
        rms: found.rms,
        p95: found.p95,
        largest: found.largest,
        mean: found.mean,
        beyond: found.beyondRatio,
        invented: found.inventedRatio,
        unreached: found.unreachedRatio,
        turned: rotationAngle(referenceFromPiece),
        reference: file.name,
        tolerance,
      },
    };
  },
  figures: {
    within: {
      kind: 'ratio',
      rank: 'headline',
      label: 'Within tolerance',
      help: 'Share of the measured surface that lies off by no more than the tolerance. Invented surface never counts.',
      limits: { good: 0.99, bad: 0.9 },
    },
    p95: {
      kind: 'length',
      rank: 'headline',
      label: 'Most within',
      help: 'Ninety-five of a hundred parts of the measured surface lie off by no more.',
    },
    largest: { kind: 'length', rank: 'headline', label: 'Furthest off', help: 'Of the measured surface.' },
    rms: { kind: 'length', rank: 'detail', label: 'Usual deviation', help: 'Root mean square, over area.' },
    mean: {
      kind: 'length',
      rank: 'detail',
      label: 'Mean, signed',
      help: 'Above 0 the piece is larger than the reference on the whole, below 0 smaller.',
    },
    unreached: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Reference not reached',
      help: 'Share of the reference that the piece does not come near within the tolerance: what is missing, or was not scanned.',
    },
    beyond: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Not of the reference',
      help: 'Share of the measured surface with nothing of the reference near it.',
    },
    invented: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Invented',
      help: 'Share of the surface that no scan measured: it is compared in the view, and counts nowhere.',
    },
    turned: { kind: 'angle', rank: 'diagnostic', label: 'Turned by', help: 'To lay the piece on the reference.' },
    reference: { kind: 'text', rank: 'detail', label: 'Reference', help: 'The file that it was compared with.' },
    tolerance: { kind: 'length', rank: 'detail', label: 'Tolerance', help: 'As it was asked.' },
  },
  summarize: (f) =>
    `${shareText(f.within)} of the measured surface within ${lengthText(f.tolerance)} of ${f.reference}, furthest ${lengthText(f.largest)} off`,
  cell: (f) => ({ figure: `${shareText(f.within)} within`, detail: lengthText(f.tolerance) }),
});
