import { triangleCount } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { placesInList } from './numbers-in-list.js';
import { ChoiceParam, LONGEST_LIST, TextParam } from './params.js';
import { countText, shareText, shortCountText } from './quantity-text.js';

export class MendHolesParams {
  @TextParam({
    title: 'Holes',
    help: 'Numbers in the list of holes, the longest rim first: 1, 3-5. Empty fills all.',
    whenEmpty: 'all',
    longest: LONGEST_LIST,
  })
  holes = '';

  @ChoiceParam({
    title: 'Shape of fillings',
    help: 'Flat spans the hole like a skin; smooth goes on as the surface around does, crisp edges with it.',
    choices: { smooth: 'As around', flat: 'Flat' },
  })
  shape: 'smooth' | 'flat' = 'smooth';
}

/** Fills holes that a person has chosen and leaves the rest of the surface as it is. */
export const mendHoles = defineOperation({
  id: OPERATION_IDS.mendHoles,
  version: 1,
  stage: 'mend',
  title: 'Fill chosen holes',
  help: 'Fills the holes chosen in the list and nothing else. What is filled is marked as invented.',
  byHand: true,
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendHolesParams,
  suggest: () => ({}),
  async run({ mesh }, { holes, shape }, ctx) {
    const { fillHoles, listHoles } = await import('@amber-knit/core/mending');
    const { makeManifold } = await import('@amber-knit/core/mesh');
    const { surfaceArea } = await import('@amber-knit/core/measure');
    const sound = makeManifold(mesh).mesh;
    const there = listHoles(sound).length;
    const only = placesInList(holes, there, 'hole');
    const r = fillHoles(sound, { shape, only }, ctx);
    if (r.filled === 0) {
      throw new GeometryError(
        'invalid-parameter',
        there === 0
          ? 'The surface has no hole.'
          : 'None of these holes can be filled without crossing the surface. The form Mend takes away what stands in the way.',
      );
    }
    return {
      outputs: { mesh: r.mesh },
      figures: {
        filledHoles: r.filled,
        leftOpen: r.leftOpen,
        wouldCross: r.wouldCross,
        inventedRatio: r.inventedArea / surfaceArea(r.mesh),
        triangles: triangleCount(r.mesh),
      },
    };
  },
  figures: {
    filledHoles: {
      kind: 'count',
      rank: 'headline',
      label: 'Holes filled',
      help: 'What fills them is marked as invented.',
    },
    leftOpen: { kind: 'count', rank: 'headline', label: 'Holes left', help: 'Holes that are still open.' },
    inventedRatio: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Invented by this',
      help: 'Share of the surface that this step has added and no scan measured.',
    },
    wouldCross: {
      kind: 'count',
      rank: 'detail',
      label: 'Would have crossed',
      help: 'Of the chosen holes, those left open because every filling would have crossed the surface.',
    },
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the surface.' },
  },
  summarize: (f) =>
    `${countText(f.filledHoles)} ${f.filledHoles === 1 ? 'hole' : 'holes'} filled, ${countText(f.leftOpen)} left, ${shareText(f.inventedRatio)} of the surface invented`,
  cell: (f) => ({
    figure: `${shortCountText(f.triangles)} tri`,
    detail: f.leftOpen ? `${f.leftOpen} holes` : 'no holes',
  }),
});
