import { triangleCount } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { placesInList } from './numbers-in-list.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { FlagParam, LONGEST_LIST, TextParam } from './params.js';
import { countText, shortCountText } from './quantity-text.js';

export class MendOpeningsParams {
  @TextParam({
    title: 'Holes',
    help: 'Numbers in the list of holes, the longest rim first: 1, 3-5. Empty means all.',
    whenEmpty: 'all',
    longest: LONGEST_LIST,
  })
  holes = '';

  @FlagParam({ title: 'Meant to be open', help: 'Off takes the mark away again.' })
  meant = true;
}

/** Says of holes that they belong to the object: filling all leaves them open, and they do not count as missing. */
export const mendOpenings = defineOperation({
  id: OPERATION_IDS.mendOpenings,
  version: 1,
  stage: 'mend',
  title: 'Mark openings',
  help: 'Marks chosen holes as meant to be open, such as the mouth of a jug. Mend leaves them open; the mark goes along with the surface.',
  byHand: true,
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendOpeningsParams,
  suggest: () => ({}),
  async run({ mesh }, { holes, meant }) {
    const { listHoles, markMeantOpen } = await import('@amber-knit/core/mending');
    const { makeManifold } = await import('@amber-knit/core/mesh');
    const sound = makeManifold(mesh).mesh;
    const all = listHoles(sound);
    const places = placesInList(holes, all.length, 'hole');
    const chosen = places ? places.map((i) => all[i]) : all;
    if (chosen.length === 0) throw new GeometryError('invalid-parameter', 'The surface has no hole.');
    const marked = markMeantOpen(sound, chosen, meant);
    return {
      outputs: { mesh: marked },
      figures: {
        marked: chosen.length,
        meantOpen: listHoles(marked).filter((h) => h.meant).length,
        holes: all.length,
        triangles: triangleCount(marked),
      },
    };
  },
  figures: {
    meantOpen: {
      kind: 'count',
      rank: 'headline',
      label: 'Meant to be open',
      help: 'Openings that belong to the object.',
    },
    holes: {
      kind: 'count',
      rank: 'headline',
      label: 'Holes',
      help: 'All rims of the surface, those meant among them.',
    },
    marked: {
      kind: 'count',
      rank: 'detail',
      label: 'Marked now',
      help: 'Holes that this step marked, or took the mark from.',
    },
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the surface.' },
  },
  summarize: (f) => `${countText(f.meantOpen)} of ${countText(f.holes)} holes meant to be open`,
  cell: (f) => ({
    figure: `${shortCountText(f.triangles)} tri`,
    detail: `${f.meantOpen} meant open`,
  }),
});
