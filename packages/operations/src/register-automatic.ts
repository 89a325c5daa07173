import { defineOperation, type Figures } from './operation.js';
import { millimetres } from './each-scan.js';
import { LengthParam, TextParam } from './params.js';

export class RegisterAutomaticParams {
  @TextParam({
    title: 'Reference',
    help: 'Name of the scan that stays put; empty chooses the first that fits. It also decides which way is up.',
    whenEmpty: 'first that fits',
  })
  reference = '';

  @LengthParam({
    title: 'Feature cell',
    min: 0,
    max: 500,
    help: 'Cell of the thinned clouds in which features are compared; empty or 0 takes it from the size of the scans.',
    whenEmpty: 'auto',
  })
  coarseCell = 0;

  @LengthParam({
    title: 'Fine cell',
    min: 0,
    max: 100,
    help: 'Cell of the thinned clouds for the final fit; empty or 0 takes it from size and spacing.',
    whenEmpty: 'auto',
  })
  fineCell = 0;
}

/** Figures of a registration, shared by the automatic and the fine one. */
export function registrationFigures(r: {
  placements: { state: string }[];
  reference: string;
  residuals: unknown[];
  doubts: unknown[];
  rms: number;
  worstRms: number;
  converged: boolean;
}): Figures {
  return {
    registered: r.placements.filter((p) => p.state === 'registered').length,
    scans: r.placements.length,
    reference: r.reference,
    pairs: r.residuals.length,
    rms: r.rms,
    worstRms: r.worstRms,
    doubtful: r.placements.filter((p) => p.state === 'placed').length,
    converged: r.converged,
  };
}

export const summarizeRegistration = (f: Figures): string => {
  const doubtful = f.doubtful ? `, ${f.doubtful} placed in doubt` : '';
  return `${f.registered} of ${f.scans} scans registered${doubtful}, ${millimetres(f.rms)} RMS over ${f.pairs} pairs, worst ${millimetres(f.worstRms)}`;
};

/** Names in a sentence, at most three spelt out. */
function listed(names: readonly string[]): string {
  if (names.length > 3) return `${names.slice(0, 2).join(', ')} and ${names.length - 2} more`;
  return names.length === 1 ? names[0] : `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`;
}

export const registerAutomatic = defineOperation({
  id: 'register.automatic',
  version: 3,
  stage: 'register',
  title: 'Register all scans',
  help: 'Places scans in unknown positions from any setups by their shape, checks every placement against free space and paint, then fits all scans together.',
  needs: ['scans'],
  uses: ['placements'],
  gives: ['placements'],
  params: RegisterAutomaticParams,
  suggest: () => ({}),
  async run({ scans, placements = [] }, params, ctx) {
    const { registerScans } = await import('@amber-knit/core/registration');
    const excluded = placements.filter((p) => p.state === 'excluded');
    const taken = scans.filter((s) => !excluded.some((p) => p.name === s.name));
    const result = await registerScans(taken, params, ctx);
    const doubtful = result.doubts.flatMap((d) => d.scans);
    if (doubtful.length > 0) {
      ctx.note(`${listed(doubtful)} could as well sit elsewhere: placed, not registered, until you choose.`);
    }
    for (const p of result.placements) if (p.state === 'loose') ctx.note(`${p.name} fits nowhere and stays loose.`);
    return {
      outputs: { placements: [...result.placements, ...excluded] },
      figures: registrationFigures(result),
    };
  },
  summarize: summarizeRegistration,
});
