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
  rivals: unknown[];
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
    rivals: r.rivals.length,
    converged: r.converged,
  };
}

export const summarizeRegistration = (f: Figures): string =>
  `${f.registered} of ${f.scans} scans registered, ${millimetres(f.rms)} RMS over ${f.pairs} pairs, worst ${millimetres(f.worstRms)}`;

export const registerAutomatic = defineOperation({
  id: 'register.automatic',
  version: 1,
  stage: 'register',
  title: 'Register all scans',
  help: 'Places scans in unknown positions from any setups by their shape, checks every placement against free space, then fits all scans together.',
  needs: ['scans'],
  gives: ['placements'],
  params: RegisterAutomaticParams,
  suggest: () => ({}),
  async run({ scans }, params, ctx) {
    const { registerScans } = await import('@amber-knit/core/registration');
    const result = await registerScans(scans, params, ctx);
    for (const r of result.rivals) {
      ctx.note(
        `${scans[r.scan].name} also fits in another place (${Math.round(100 * r.scoreRatio)} % of the evidence).`,
      );
    }
    for (const p of result.placements) if (p.state === 'loose') ctx.note(`${p.name} fits nowhere and stays loose.`);
    return { outputs: { placements: result.placements }, figures: registrationFigures(result) };
  },
  summarize: summarizeRegistration,
});
