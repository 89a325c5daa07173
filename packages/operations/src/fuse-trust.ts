import type { TrustManner, TrustRegion, TrustSheet } from '@amber-knit/core/fusion';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { TrustParam, type AskedTrust } from './params.js';
import { countText } from './quantity-text.js';

export class FuseTrustParams {
  @TrustParam({
    title: 'Places',
    help: 'Where which scans count: a list of names, scans and balls. In the bench they are marked in the view.',
  })
  regions: AskedTrust[] = [];
}

const HOW_WORDS: Record<TrustManner, string> = { only: 'only', rather: 'rather', not: 'not' };

/** What a person says of which scans count where. The whole list is a step: each change of it can be undone. */
export const fuseTrust = defineOperation({
  id: OPERATION_IDS.fuseTrust,
  version: 1,
  stage: 'fuse',
  title: 'Trust scans at places',
  help: 'Says which scans count at which places. The next fusing goes by it.',
  byHand: true,
  movesNothing: true,
  needs: ['scans', 'placements'],
  gives: ['trust'],
  params: FuseTrustParams,
  suggest: () => ({}),
  run({ scans }, { regions }, ctx) {
    const there = new Set(scans.map((s) => s.name));
    const lost = [...new Set(regions.flatMap((r) => r.scans.filter((name) => !there.has(name))))];
    if (lost.length > 0)
      ctx.note(`There is no scan called ${lost.map((n) => `"${n}"`).join(', ')}: it counts nowhere.`);
    const trust: TrustSheet = { regions: regions.map((r): TrustRegion => ({ ...r })) };
    return Promise.resolve({
      outputs: { trust },
      figures: {
        places: regions.length,
        lost: lost.length,
        list: regions.map((r) => `${r.name}: ${HOW_WORDS[r.how]} ${r.scans.join(', ')}`).join('; '),
      },
    });
  },
  figures: {
    places: {
      kind: 'count',
      rank: 'headline',
      label: 'Places',
      help: 'Places where some scans count more than others.',
    },
    lost: {
      kind: 'count',
      rank: 'detail',
      label: 'Scans not found',
      help: 'Scans that are named and not there: renamed or taken out since.',
      limits: { good: 0, bad: 1 },
    },
    list: { kind: 'text', rank: 'diagnostic', label: 'List', help: 'Each place with which scans count there.' },
  },
  summarize: (f) => `${countText(f.places)} ${f.places === 1 ? 'place' : 'places'} where scans are chosen`,
});
