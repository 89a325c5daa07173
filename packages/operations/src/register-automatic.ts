import { hasPlace, type DoubtReason, type PlacementDoubt } from '@amber-knit/core/geometry';
import { listed, type RunContext } from '@amber-knit/core/runtime';
import type { FigureFields, FigureValues } from './figures.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { lengthText } from './quantity-text.js';
import { LengthParam, TextParam } from './params.js';

export class RegisterAutomaticParams {
  @TextParam({
    title: 'Reference',
    help: 'Name of the scan that stays put; empty chooses the first that fits. It also decides which way is up. Locked scans go before it.',
    whenEmpty: 'first that fits',
  })
  reference = '';

  @LengthParam({
    title: 'Feature cell',
    more: true,
    min: 0,
    max: 500,
    help: 'Cell of the thinned clouds in which features are compared; empty or 0 takes it from the size of the scans.',
    whenEmpty: 'auto',
  })
  coarseCell = 0;

  @LengthParam({
    title: 'Fine cell',
    more: true,
    min: 0,
    max: 100,
    help: 'Cell of the thinned clouds for the final fit; empty or 0 takes it from size and spacing.',
    whenEmpty: 'auto',
  })
  fineCell = 0;
}

/** Figures of a registration, shared by the automatic and the fine one. */
/** What every kind of registration tells. */
export const REGISTRATION_FIGURES = {
  registered: { kind: 'count', rank: 'headline', label: 'Registered', help: 'Scans that have their place.' },
  scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans that were to be placed.' },
  rms: {
    kind: 'length',
    rank: 'headline',
    label: 'Distance between scans',
    help: 'How far apart the surfaces of neighbouring scans lie, root mean square over all pairs.',
  },
  worstRms: { kind: 'length', rank: 'detail', label: 'Worst pair', help: 'The same for the pair that fits least.' },
  doubtful: {
    kind: 'count',
    rank: 'detail',
    label: 'In doubt',
    help: 'Scans that fit in several places or are held only loosely. Choose their places.',
    limits: { good: 0, bad: 1 },
  },
  pairs: { kind: 'count', rank: 'detail', label: 'Pairs', help: 'Pairs of scans that lie on each other.' },
  reference: { kind: 'text', rank: 'detail', label: 'Reference', help: 'The scan that did not move.' },
  converged: {
    kind: 'flag',
    rank: 'diagnostic',
    label: 'Came to rest',
    help: 'The scans stopped moving before the last round.',
    good: true,
  },
  convergence: {
    kind: 'curve',
    rank: 'diagnostic',
    label: 'Movement in each round',
    help: 'How far the scans still moved, mm.',
  },
} as const satisfies FigureFields;

export function registrationFigures(r: {
  placements: { state: string }[];
  reference: string;
  residuals: unknown[];
  doubts: unknown[];
  rms: number;
  worstRms: number;
  converged: boolean;
  convergence: number[];
}): FigureValues<typeof REGISTRATION_FIGURES> {
  return {
    registered: r.placements.filter((p) => p.state === 'registered').length,
    scans: r.placements.length,
    reference: r.reference,
    pairs: r.residuals.length,
    rms: r.rms,
    worstRms: r.worstRms,
    doubtful: r.placements.filter((p) => p.state === 'placed').length,
    converged: r.converged,
    convergence: r.convergence.map((v) => Number(v.toPrecision(3))),
  };
}

export const summarizeRegistration = (f: FigureValues<typeof REGISTRATION_FIGURES>): string => {
  const doubtful = f.doubtful ? `, ${f.doubtful} placed in doubt` : '';
  return `${f.registered} of ${f.scans} scans registered${doubtful}, ${lengthText(f.rms)} RMS over ${f.pairs} pairs, worst ${lengthText(f.worstRms)}`;
};

const WHY: Record<DoubtReason, string> = {
  elsewhere: 'could as well sit elsewhere: placed, not registered, until you choose',
  loosely: 'held only loosely by the others: placed, not registered; see how they hold together',
  'seen-through': 'several others looked through there: placed, not registered',
  'on-doubtful': 'mostly on scans that are in doubt themselves: placed, not registered',
};

/** Says which scans are not registered, and why. */
export function noteDoubts(doubts: readonly PlacementDoubt[], ctx: RunContext): void {
  for (const reason of Object.keys(WHY) as DoubtReason[]) {
    const names = doubts.filter((d) => (d.reason ?? 'elsewhere') === reason).flatMap((d) => d.scans);
    if (names.length > 0) ctx.note(`${listed(names)}: ${WHY[reason]}.`);
  }
}

export const registerAutomatic = defineOperation({
  id: OPERATION_IDS.registerAutomatic,
  version: 5,
  stage: 'register',
  title: 'Register all scans',
  help: 'Places scans in unknown positions from any setups by their shape, checks every placement against free space, paint and the support that scans of one setup share, fits all scans together, and says how well each is held.',
  words: 'align alignment line up match icp positions poses assemble coarse global scans together',
  needs: ['scans'],
  uses: ['placements'],
  gives: ['placements'],
  params: RegisterAutomaticParams,
  suggest: () => ({}),
  async run({ scans, placements = [] }, params, ctx) {
    const { registerScans } = await import('@amber-knit/core/registration');
    const excluded = placements.filter((p) => p.state === 'excluded');
    const taken = scans.filter((s) => !excluded.some((p) => p.name === s.name));
    const locked = placements.filter((p) => p.locked && hasPlace(p));
    const result = await registerScans(taken, { ...params, locked }, ctx);
    noteDoubts(result.doubts, ctx);
    for (const p of result.placements) if (p.state === 'loose') ctx.note(`${p.name} fits nowhere and stays loose.`);
    return {
      outputs: { placements: [...result.placements, ...excluded] },
      figures: registrationFigures(result),
    };
  },
  figures: REGISTRATION_FIGURES,
  summarize: summarizeRegistration,
});
