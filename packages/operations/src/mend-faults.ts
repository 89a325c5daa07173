import { triangleCount } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { placesInList } from './numbers-in-list.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { LONGEST_LIST, TextParam } from './params.js';
import { countText, shortCountText } from './quantity-text.js';
import { SURFACE_FIGURES } from './surface-figures.js';

export class MendFaultsParams {
  @TextParam({
    title: 'Faults',
    help: 'Numbers in the list of faults, the gravest first: 1, 3-5. Empty mends all but loose pieces.',
    whenEmpty: 'all that is safe',
    longest: LONGEST_LIST,
  })
  faults = '';
}

/** Mends faults that a person has chosen and leaves the rest of the surface as it is. */
export const mendFaults = defineOperation({
  id: OPERATION_IDS.mendFaults,
  version: 1,
  stage: 'mend',
  title: 'Mend chosen faults',
  help: 'Mends the faults chosen in the list and nothing else: what crosses or stands out is taken out and the surface goes on over the place, hidden and loose pieces go, what faces inwards is turned.',
  byHand: true,
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendFaultsParams,
  suggest: () => ({}),
  async run({ mesh }, { faults: chosen }, ctx) {
    const { diagnose, mendFaults: mend, SAFE_FAULTS } = await import('@amber-knit/core/mending');
    const found = diagnose(mesh, ctx.part(0, 0.4));
    const places = placesInList(chosen, found.length, 'fault');
    const faults = places ? places.map((i) => found[i]) : found.filter((f) => SAFE_FAULTS.includes(f.kind));
    const r = mend(mesh, faults, ctx.part(0.4, 0.7));
    if (triangleCount(r.mesh) === 0)
      throw new GeometryError('invalid-parameter', 'Nothing of the surface would be left. Choose fewer faults.');
    const left = diagnose(r.mesh, ctx.part(0.7, 1));
    return {
      outputs: { mesh: r.mesh },
      figures: {
        mended: faults.length,
        left: left.length,
        removed: r.removed,
        filled: r.filled,
        leftOpen: r.leftOpen,
        crossings: left.filter((f) => f.kind === 'crossing').length,
        triangles: triangleCount(r.mesh),
      },
    };
  },
  figures: {
    mended: { kind: 'count', rank: 'headline', label: 'Faults mended', help: 'Places that were mended.' },
    left: {
      kind: 'count',
      rank: 'headline',
      label: 'Faults left',
      help: 'Places where something is still wrong.',
      limits: { good: 0, bad: 1 },
    },
    removed: {
      kind: 'count',
      rank: 'detail',
      label: 'Triangles taken out',
      help: 'Triangles at the faults and close around them.',
    },
    filled: {
      kind: 'count',
      rank: 'detail',
      label: 'Places filled',
      help: 'What fills them is marked as invented.',
    },
    leftOpen: {
      kind: 'count',
      rank: 'detail',
      label: 'Stayed open',
      help: 'Places that ran into a rim, or whose every filling would have crossed the surface.',
    },
    crossings: { ...SURFACE_FIGURES.crossings, label: 'Crossing places', help: 'Places where triangles cross still.' },
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the surface.' },
  },
  summarize: (f) => `${countText(f.mended)} ${f.mended === 1 ? 'fault' : 'faults'} mended, ${countText(f.left)} left`,
  cell: (f) => ({
    figure: `${shortCountText(f.triangles)} tri`,
    detail: f.left ? `${f.left} faults` : 'no faults',
  }),
});
