import { registerScans } from '@amber-knit/core/registration';
import { createRunContext } from '@amber-knit/core/runtime';
import { simulateSingleViews } from '@amber-knit/demo';
import { benchObject, type BenchObjectName } from './objects.js';
import { cleanViews, poseErrors } from './registration-trial.js';

const OBJECTS: BenchObjectName[] = ['jug', 'bunny', 'dragon', 'fork'];

/**
 * Ten views of one object with two each of two others mixed in: the others must not be registered with it, and its own
 * views must still be found. Wanted: no intruder registered.
 */
export async function intruderTrial(seeds: number): Promise<void> {
  for (const [k, name] of OBJECTS.entries()) {
    for (let seed = 1; seed <= seeds; seed++) {
      const views = (of: BenchObjectName, count: number) => {
        const { mesh, color } = benchObject(of);
        return simulateSingleViews(mesh, color, { seed, views: count, setups: 2, points: 60_000 });
      };
      const own = views(name, 10);
      const others = [1, 2].flatMap((step) => views(OBJECTS[(k + step) % OBJECTS.length], 2));
      // The intruders come first, so that they could take the piece over.
      const scans = cleanViews([...others, ...own]).map((s, i) => ({ ...s, name: `scan_${i}` }));
      const { placements } = await registerScans(scans, {}, createRunContext({ seed: 3 }));
      const intruders = placements.filter((p, i) => i < others.length && p.state !== 'loose');
      const ownPlaces = placements.slice(others.length);
      const found = ownPlaces.map((p) => (p.state === 'registered' ? p.pieceFromScan : undefined));
      const doubtful = ownPlaces.filter((p) => p.state === 'placed').length;
      const error = poseErrors(
        found,
        own.map((v) => v.objectFromSensor),
        found.findIndex((p) => p !== undefined),
        [0, 0, 75],
      );
      console.log(
        `${name} seed ${seed}: ${error.registered}/10 own registered, ${doubtful} in doubt, worst ${error.worstAngleDeg.toFixed(3)}°, ${intruders.length}/${others.length} intruders placed${intruders.map((p) => ` ${p.name} ${p.state}`).join(',')}`,
      );
    }
  }
}
