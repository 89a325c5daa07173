import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { CountParam, TextParam } from './params.js';
import { REGISTRATION_FIGURES, registrationFigures, summarizeRegistration } from './register-automatic.js';

export class RegisterChooseParams {
  @TextParam({
    title: 'Scan',
    help: 'A scan in doubt; those that are sure of it move with it. Empty leaves all scans in doubt where they are.',
    whenEmpty: 'all in doubt',
  })
  scan = '';

  @CountParam({
    title: 'Place',
    help: 'Which of the places offered: 0 is where it is now, 1 the first other one.',
    min: 0,
    max: 100,
  })
  place = 0;
}

export const registerChoose = defineOperation({
  id: OPERATION_IDS.registerChoose,
  version: 1,
  stage: 'register',
  title: 'Choose a place',
  help: 'Decides where scans belong that fit in several places about as well, then fits all scans together.',
  byHand: true,
  needs: ['scans', 'placements'],
  gives: ['placements'],
  params: RegisterChooseParams,
  suggest: () => ({}),
  async run({ scans, placements }, { scan, place }, ctx) {
    const { chooseRival, refinePlacements } = await import('@amber-knit/core/registration');
    const decided = chooseRival(placements, scan, place);
    // The scan that held the frame keeps it.
    const reference = decided.find((p) => p.state === 'registered')?.name ?? '';
    const result = await refinePlacements(scans, decided, { reference }, ctx);
    return { outputs: { placements: result.placements }, figures: registrationFigures(result) };
  },
  figures: REGISTRATION_FIGURES,
  summarize: summarizeRegistration,
});
