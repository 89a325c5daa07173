import type { HereEvent } from '@amber-knit/contracts';
import { PresenceService } from './presence.service.js';

const ann = { id: 'a', name: 'Ann' };
const bea = { id: 'b', name: 'Bea' };

test('comings, moves and goings are told once each; whoever falls silent has gone', () => {
  const presence = new PresenceService();
  const told: string[] = [];
  presence.changes.subscribe(({ pieceId, people }: HereEvent) =>
    told.push(`${pieceId}: ${people.map((p) => `${p.name} ${p.stage}`).join(', ')}`),
  );
  presence.comes('p', bea, 'mend', 0);
  presence.comes('p', ann, null, 0);
  presence.comes('p', ann, 'check', 20_000);
  // Said again: nothing new.
  presence.comes('p', ann, 'check', 40_000);
  presence.comes('q', ann, 'check', 40_000);
  presence.forgetSilent(50_000);
  presence.goes('p', 'a');
  presence.goes('p', 'nobody');
  expect(told).toEqual([
    'p: Bea mend',
    'p: Ann null, Bea mend',
    'p: Ann check, Bea mend',
    'q: Ann check',
    'p: Ann check',
    'p: ',
  ]);
  expect(presence.list('q')).toEqual([{ id: 'a', name: 'Ann', stage: 'check' }]);
});
