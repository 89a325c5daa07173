import { chainingTrial } from './chaining-trial.js';
import { checkTrial } from './check-trial.js';
import { denoiseTrial } from './denoise-trial.js';
import { driftTrial } from './drift-trial.js';
import { flatTrial, lidarTrial, manyTrial, overlapTrial, report, sizeTrial } from './hard-views.js';
import { evenTrial } from './even-trial.js';
import { finishTrial } from './finish-trial.js';
import type { SurfaceShape } from '@amber-knit/core/fusion';
import { fuseTrial } from './fuse-trial.js';
import { fuzzReaders } from './fuzz/fuzz-readers.js';
import { guidedTrial } from './guided-trial.js';
import { intruderTrial } from './intruder-trial.js';
import { jugChain } from './jug-chain.js';
import { kernels } from './kernels.js';
import { reference } from './reference.js';
import { liveTrial } from './live-trial.js';
import { mendTrial } from './mend-trial.js';
import { misalignedTrial } from './misaligned-trial.js';
import { nextViewTrial } from './next-view-trial.js';
import { BENCH_OBJECTS, benchObject, type BenchObjectName } from './objects.js';
import { placingTrial } from './placing-trial.js';
import { reduceTrial } from './reduce-trial.js';
import { registrationTrial, type TrialManner } from './registration-trial.js';
import { scaleTrial } from './scale-trial.js';
import { selecting } from './selecting.js';
import { snapping } from './snapping.js';
import { strayTrial } from './stray-trial.js';
import { supportTrial } from './support-trial.js';
import { bakeTrial } from './bake-trial.js';
import { textureTime } from './texture-time.js';
import { textureTrial } from './texture-trial.js';
import { unwrapTrial } from './unwrap-trial.js';
import { turnOverTrial } from './turn-over-trial.js';
import { uncertaintyTrial } from './uncertainty-trial.js';

/** What a run is told on the command line, in any order: object names, lists of seeds (`1,2,3`), a count, `--log`,
 * `--setups`: registration is told how the object lay in each view. */
interface Told {
  objects: BenchObjectName[];
  seeds: number[];
  count?: number;
  manner: TrialManner;
  /** Beside a native library. */
  reference: boolean;
  shape: SurfaceShape;
  /** Number to begin with. */
  from?: number;
}

const BODIES: BenchObjectName[] = ['jug', 'bunny', 'dragon'];

/** `npm run bench -- NAME [arguments]`; nothing = the kernels, then the whole chain. */
const BENCHES: Record<string, { takes?: string; run: (told: Told) => unknown }> = {
  kernels: { run: kernels },
  reference: { run: reference },
  chain: { run: jugChain },
  live: { run: liveTrial },
  select: { run: selecting },
  snap: { run: snapping },
  support: { run: supportTrial },
  strays: { run: strayTrial },
  'turn-over': { takes: '[seeds]', run: (t) => turnOverTrial(t.count ?? 10) },
  intruders: { takes: '[seeds]', run: (t) => intruderTrial(t.count ?? 3) },
  chaining: { takes: '[seeds]', run: (t) => chainingTrial(t.count ?? 3) },
  drift: { takes: '[frames]', run: (t) => driftTrial(t.count ?? 36) },
  finish: { takes: '[frames]', run: (t) => finishTrial(t.count ?? 42) },
  misaligned: { takes: '[seeds]', run: (t) => misalignedTrial(t.count ?? 3) },
  registration: { takes: '[objects] [SEED,SEED,…] [views] [--log] [--setups]', run: registration },
  flat: {
    takes: '[objects] [SEED,SEED,…] [--log] [--setups]',
    run: (t) => flatTrial(t.objects.length ? t.objects : ['bracket'], t.seeds, t.manner),
  },
  fuse: {
    takes: '[objects] [SEED,SEED,…] [views] [--reference] [--crisp] [--calm]',
    run: (t) =>
      fuseTrial(t.objects.length ? t.objects : ['jug', 'wheel', 'fork', 'bunny', 'dragon'], t.seeds.slice(0, 3), {
        views: t.count ?? 18,
        points: 100_000,
        // Edges are judged at the noise of a sensor that shows them.
        noise: t.shape === 'crisp' ? 0.03 : 0.1,
        threads: 2,
        shape: t.shape,
        reference: t.reference,
      }),
  },
  fuzz: { takes: '[files] [--from N]', run: (t) => fuzzReaders(t.count ?? 20_000, t.from) },
  guided: {
    takes: '[objects] [SEED,SEED,…]',
    run: (t) => guidedTrial(t.objects.length ? t.objects : BENCH_OBJECTS, t.seeds.slice(0, 1)),
  },
  mend: {
    takes: '[objects] [SEED,SEED,…] [--log] [--reference]',
    run: (t) =>
      mendTrial(
        t.objects.length ? t.objects : ['jug', 'wheel', 'fork', 'bunny', 'dragon'],
        t.seeds.slice(0, 3),
        t.reference,
        t.manner.log ?? false,
      ),
  },
  denoise: {
    takes: '[objects] [SEED,SEED,…]',
    run: (t) => denoiseTrial(t.objects.length ? t.objects : ['fork', 'bracket', 'dragon'], t.seeds.slice(0, 3), 0.1),
  },
  even: {
    takes: '[objects]',
    run: (t) => evenTrial(t.objects.length ? t.objects : ['fork', 'crate', 'wheel', 'jug', 'dragon']),
  },
  reduce: {
    takes: '[jug wheel fork dragon] [triangles] [--reference]',
    run: (t) =>
      reduceTrial(t.objects.length ? t.objects : ['jug', 'wheel', 'fork', 'dragon'], t.count ?? 100_000, t.reference),
  },
  texture: {
    takes: '[objects] [SEED,SEED,…] [map size]',
    run: (t) =>
      textureTrial(t.objects.length ? t.objects : ['jug', 'fork', 'wheel', 'bunny', 'dragon'], t.seeds.slice(0, 3), {
        mapSize: t.count ?? 2048,
        frames: 12,
        poses: true,
        threads: 2,
      }),
  },
  'texture-time': {
    takes: '[triangles]',
    run: (t) => textureTime({ triangles: t.count ?? 200_000, frames: 48, mapSizes: [2048, 4096], threads: 2 }),
  },
  bake: {
    takes: '[objects] [map size]',
    run: (t) =>
      bakeTrial(t.objects.length ? t.objects : ['jug', 'fork', 'wheel', 'bunny', 'dragon'], {
        dense: 500_000,
        light: 20_000,
        mapSize: t.count ?? 2048,
        threads: 2,
      }),
  },
  place: {
    takes: '[objects] [SEED,SEED,…]',
    run: (t) => placingTrial(t.objects.length ? t.objects : ['jug', 'wheel', 'fork', 'dragon'], t.seeds.slice(0, 1)),
  },
  scale: {
    takes: '[objects] [SEED,SEED,…] [scans with scale]',
    run: async (t) => {
      for (const name of t.objects.length
        ? t.objects
        : (['jug', 'wheel', 'fork', 'bracket', 'bunny', 'dragon'] as const))
        for (const seed of t.seeds) await scaleTrial(name, seed, t.count ?? 4);
    },
  },
  check: { takes: '[objects]', run: (t) => checkTrial(t.objects.length ? t.objects : BODIES) },
  unwrap: {
    takes: '[objects] [map size]',
    run: (t) =>
      unwrapTrial(t.objects.length ? t.objects : ['jug', 'fork', 'wheel', 'bunny', 'dragon'], t.count ?? 2048),
  },
  lidar: {
    takes: '[objects] [SEED,SEED,…] [--log] [--setups]',
    run: (t) => lidarTrial(t.seeds, orBodies(t), t.count ?? 12, t.manner),
  },
  overlap: {
    takes: '[objects] [SEED,SEED,…] [--log] [--setups]',
    run: (t) => overlapTrial(t.seeds, orBodies(t), t.manner),
  },
  uncertainty: { takes: '[objects] [seeds]', run: (t) => uncertaintyTrial(orBodies(t), t.count ?? 50) },
  'next-view': { takes: '[seeds]', run: (t) => nextViewTrial(t.count ?? 2) },
  sizes: {
    takes: '[objects] [SEED,SEED,…] [--log] [--setups]',
    run: (t) => sizeTrial(t.seeds, orBodies(t), t.manner),
  },
  many: { takes: '[views] [SEED,SEED,…] [--log] [--setups]', run: (t) => manyTrial(t.count ?? 8, t.seeds, t.manner) },
};

const orBodies = (t: Told): BenchObjectName[] => (t.objects.length ? t.objects : BODIES);

async function registration({ objects, seeds, count, manner }: Told): Promise<void> {
  for (const name of objects.length ? objects : (['bunny'] as const)) {
    for (const seed of seeds) {
      const options = { seed, views: count ?? 15, setups: seed % 2 ? (2 as const) : (3 as const) };
      report(`${name} seed ${seed}`, await registrationTrial(benchObject(name), options, manner));
    }
  }
}

function told(words: string[]): Told {
  const list = words.find((w) => /^\d+(,\d+)*,?$/.test(w) && w.includes(','));
  return {
    objects: BENCH_OBJECTS.filter((n) => words.includes(n)),
    seeds: list ? list.split(',').filter(Boolean).map(Number) : [1, 2, 3, 4, 5],
    count: words.filter((w) => /^\d+$/.test(w)).map(Number)[0],
    reference: words.includes('--reference'),
    shape: words.includes('--crisp') ? 'crisp' : words.includes('--calm') ? 'calm' : 'even',
    from: words.includes('--from') ? Number(words[words.indexOf('--from') + 1]) : undefined,
    manner: { log: words.includes('--log'), setupsKnown: words.includes('--setups') },
  };
}

const [what, ...rest] = process.argv.slice(2);
if (what === undefined || what === 'all') {
  kernels();
  await jugChain();
} else if (what in BENCHES) {
  await BENCHES[what].run(told(rest));
} else {
  const usage = Object.entries(BENCHES).map(([name, b]) => `  ${[name, b.takes].filter(Boolean).join(' ')}`);
  console.error(`Usage: npm run bench -- NAME\n${usage.join('\n')}`);
  process.exitCode = 2;
}
