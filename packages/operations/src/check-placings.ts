import type { FoundPlacing, FoundWay } from '@amber-knit/core/placing';
import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { FlagParam, PlacingsParam, type AskedPlacing } from './params.js';
import { countText, lengthText, measuredText, volumeText } from './quantity-text.js';

export class CheckPlacingsParams {
  @PlacingsParam({
    title: 'Placings',
    help: 'Where the piece is put: a list of names and motions. In the bench the piece is moved in the view.',
  })
  placings: AskedPlacing[] = [];

  @FlagParam({
    title: 'Look at the ways',
    help: 'Moves the piece from each placing to the next, straight and evenly turning, and tells where it is tightest.',
  })
  ways = false;
}

/** Looks at all placings of the piece. The whole list is a step: each change of it can be undone. */
export const checkPlacings = defineOperation({
  id: OPERATION_IDS.checkPlacings,
  version: 1,
  stage: 'check',
  title: 'Place in surroundings',
  help: 'Tells of each placing how much room there is, or how deep and how much the piece and its surroundings clash.',
  byHand: true,
  needs: ['mesh', 'surroundings'],
  gives: ['placings'],
  params: CheckPlacingsParams,
  suggest: () => ({}),
  async run({ mesh, surroundings }, { placings: asked, ways: wanted }, ctx) {
    const { findTightest, PlacingGround, THOROUGH } = await import('@amber-knit/core/placing');
    const found: FoundPlacing[] = [];
    const ways: FoundWay[] = [];
    if (asked.length > 0) {
      ctx.checkpoint(0.02, 'Setting up');
      const ground = new PlacingGround(mesh, surroundings.mesh);
      const motions = asked.map((p) => Float64Array.from(p.sceneFromPiece));
      const share = wanted ? 0.3 : 1;
      for (const [i, m] of motions.entries()) {
        ctx.checkpoint((share * i) / motions.length, asked[i].name);
        found.push(ground.look(m, THOROUGH));
      }
      for (let i = 0; wanted && i + 1 < motions.length; i++) {
        const part = (k: number): number => share + ((1 - share) * k) / (motions.length - 1);
        const step = ctx.part(part(i), part(i + 1), `From ${asked[i].name} to ${asked[i + 1].name}`);
        ways.push(findTightest(ground, motions[i], motions[i + 1], step));
      }
    }
    const clear = found.filter((f) => f.state === 'clear');
    const clashes = found.flatMap((f) => f.clash ?? []);
    return {
      outputs: { placings: { surroundings: surroundings.name, asked, found, ways } },
      figures: {
        placings: found.length,
        clashing: clashes.length,
        unseen: found.filter((f) => f.state === 'unseen').length,
        ...(clear.length > 0 ? { least: Math.min(...clear.map((f) => f.clearance.distance)) } : {}),
        ...(clashes.length > 0 ? { deepest: Math.max(...clashes.map((c) => c.depth)) } : {}),
        ...(ways.length > 0 ? { tightest: Math.min(...ways.flatMap((w) => w.profile)) } : {}),
        list: asked.map((a, i) => `${a.name}: ${placingText(found[i])}`).join('; '),
      },
    };
  },
  figures: {
    placings: { kind: 'count', rank: 'headline', label: 'Placings', help: 'Placings that are kept with the piece.' },
    clashing: {
      kind: 'count',
      rank: 'headline',
      label: 'Clashing',
      help: 'Placings in which the piece and its surroundings are in the same place somewhere.',
      limits: { good: 0, bad: 1 },
    },
    least: {
      kind: 'length',
      rank: 'headline',
      label: 'Least clearance',
      help: 'The shortest way between the two surfaces, over all placings that are clear.',
    },
    deepest: { kind: 'length', rank: 'detail', label: 'Deepest clash', help: 'How far one lies within the other.' },
    tightest: {
      kind: 'length',
      rank: 'detail',
      label: 'Tightest on a way',
      help: 'Least clearance between one placing and the next; below 0 how deep it clashes.',
    },
    unseen: {
      kind: 'count',
      rank: 'detail',
      label: 'In unseen space',
      help: 'Placings behind a surface that was scanned from its front alone: nobody knows what is there.',
      limits: { good: 0, bad: 1 },
    },
    list: { kind: 'text', rank: 'diagnostic', label: 'List', help: 'Each placing with what was found of it.' },
  },
  summarize: (f) =>
    `${countText(f.placings)} ${f.placings === 1 ? 'placing' : 'placings'}${f.clashing ? `, ${countText(f.clashing)} clashing` : ''}${f.least === undefined ? '' : `, least clearance ${lengthText(f.least)}`}`,
  cell: (f) => ({
    figure: `${countText(f.placings)} placed`,
    detail: f.clashing
      ? `${countText(f.clashing)} clash`
      : f.least === undefined
        ? 'in surroundings'
        : lengthText(f.least),
  }),
});

/** What was found of a placing, in a few words. */
export function placingText({ state, clearance, clash }: FoundPlacing): string {
  if (state === 'touching') return 'touching';
  if (state === 'unseen') return 'in unseen space';
  if (state === 'clash' && clash)
    return `clash ${lengthText(clash.depth)} deep${clash.volume === undefined ? '' : `, ${volumeText(clash.volume)}`}`;
  return `clear by ${measuredText({ kind: 'length', value: clearance.distance, uncertainty: clearance.uncertainty })}`;
}
