import { driftTrial } from './drift-trial.js';
import { misalignedTrial } from './misaligned-trial.js';
import { jugChain } from './jug-chain.js';
import { kernels } from './kernels.js';
import { intruderTrial } from './intruder-trial.js';
import { benchObject, type BenchObjectName } from './objects.js';
import { liveTrial } from './live-trial.js';
import { registrationTrial } from './registration-trial.js';
import { selecting } from './selecting.js';
import { strayTrial } from './stray-trial.js';
import { supportTrial } from './support-trial.js';
import { turnOverTrial } from './turn-over-trial.js';

/** `npm run bench` (kernels, then the whole chain), `npm run bench -- kernels|select|live|support|strays|turn-over|intruders|drift|misaligned|chain` or `npm run bench -- registration [object] [seeds] [views]`. */
const [what = 'all', ...rest] = process.argv.slice(2);
if (what === 'kernels' || what === 'all') kernels();
if (what === 'live') liveTrial();
if (what === 'select') selecting();
if (what === 'support') supportTrial();
if (what === 'strays') strayTrial();
if (what === 'turn-over') await turnOverTrial(Number(rest[0] ?? 10));
if (what === 'intruders') await intruderTrial(Number(rest[0] ?? 3));
if (what === 'drift') driftTrial(Number(rest[0] ?? 36));
if (what === 'misaligned') misalignedTrial(Number(rest[0] ?? 3));
if (what === 'chain' || what === 'all') await jugChain();
else if (what === 'registration') {
  const name = (rest[0] ?? 'bunny') as BenchObjectName;
  const object = benchObject(name);
  for (const seed of (rest[1] ?? '1,2,3,4,5').split(',').map(Number)) {
    const r = await registrationTrial(
      object,
      { seed, views: Number(rest[2] ?? 15), setups: seed % 2 ? 2 : 3 },
      rest.includes('--log'),
    );
    console.log(
      `${name} seed ${seed}: ${r.registered}/${r.scans} registered, ${r.doubtful} in doubt, worst registered ${r.worstAngleDeg.toFixed(3)}° ${r.worstShift.toFixed(3)} mm, ${r.seconds.toFixed(1)} s`,
    );
  }
} else if (
  ![
    'all',
    'kernels',
    'select',
    'live',
    'support',
    'strays',
    'turn-over',
    'intruders',
    'drift',
    'misaligned',
    'chain',
  ].includes(what)
) {
  console.error(
    'Usage: npm run bench -- [kernels | select | live | support | strays | turn-over [seeds] | intruders [seeds] | drift [frames] | misaligned [seeds] | chain | registration [object] [seeds] [views] [--log]]',
  );
  process.exitCode = 2;
}
