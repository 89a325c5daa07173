import { defineOperation } from './operation.js';
import {
  noteDoubts,
  RegisterAutomaticParams,
  registrationFigures,
  REGISTRATION_FIGURES,
  summarizeRegistration,
} from './register-automatic.js';

export class RegisterFineParams extends RegisterAutomaticParams {}

export const registerFine = defineOperation({
  id: 'register.fine',
  version: 2,
  stage: 'register',
  title: 'Fit together again',
  help: 'Fits all placed scans together once more, spreading the error evenly, without looking for new places.',
  words: 'refine fine alignment adjust improve distribute spread error drift',
  needs: ['scans', 'placements'],
  gives: ['placements'],
  params: RegisterFineParams,
  suggest: () => ({}),
  async run({ scans, placements }, params, ctx) {
    const { refinePlacements } = await import('@amber-knit/core/registration');
    const result = await refinePlacements(scans, placements, params, ctx);
    noteDoubts(result.doubts, ctx);
    return { outputs: { placements: result.placements }, figures: registrationFigures(result) };
  },
  figures: REGISTRATION_FIGURES,
  summarize: summarizeRegistration,
});
