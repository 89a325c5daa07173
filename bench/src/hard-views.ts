import { benchObject, type BenchObject, type BenchObjectName } from './objects.js';
import { registrationTrial, type TrialManner, type TrialResult } from './registration-trial.js';

/**
 * A flat-faced part, whose scans slide along its faces: 18 views, three setups, 0.03 mm noise. Wanted: ≤ 0.15° and
 * ≤ 0.15 mm. Of the bare bracket many views show a single face: none that is wrong may be called registered.
 */
export async function flatTrial(names: BenchObjectName[], seeds: number[], manner: TrialManner): Promise<void> {
  for (const name of names) {
    for (const seed of seeds) {
      const r = await registrationTrial(benchObject(name), { seed, views: 18, setups: 3, noise: 0.03 }, manner);
      report(`${name} seed ${seed}`, r);
    }
  }
}

/**
 * Views as a phone's lidar sees them: 256 × 192 pixels, 0.8 mm noise, an object of 300 mm at 500 mm. Wanted: all placed,
 * ≤ 1.5° and ≤ 1.2 mm.
 */
export async function lidarTrial(
  seeds: number[],
  names: BenchObjectName[],
  views: number,
  manner: TrialManner,
): Promise<void> {
  for (const name of names) {
    const object = twice(benchObject(name));
    for (const seed of seeds) {
      const options = { seed, views, noise: 0.8, distance: 500, resolution: [256, 192] as [number, number] };
      report(`${name} seed ${seed}`, await registrationTrial(object, options, manner));
    }
  }
}

/**
 * Fewer and fewer views of the same object, so that neighbours overlap less. Wanted: all right from 30 % on, nine of ten
 * from 20 % on, never one that is wrong and called registered.
 */
export async function overlapTrial(seeds: number[], names: BenchObjectName[], manner: TrialManner): Promise<void> {
  for (const name of names) {
    const object = benchObject(name);
    for (const views of [4, 5, 6, 8]) {
      for (const seed of seeds) {
        const r = await registrationTrial(object, { seed, views, setups: 2, points: 60_000 }, manner);
        report(`${name} ${views} views seed ${seed}`, r);
      }
    }
  }
}

/** Many scans of many points. Wanted on two cores: 8 scans of 200,000 points ≤ 20 s, 24 ≤ 90 s. */
export async function manyTrial(views: number, seeds: number[], manner: TrialManner): Promise<void> {
  for (const seed of seeds) {
    report(
      `bunny ${views} × 200k seed ${seed}`,
      await registrationTrial(benchObject('bunny'), { seed, views, points: 200_000 }, manner),
    );
    console.log(`  memory ${Math.round(process.resourceUsage().maxRSS / 1024)} MB at most`);
  }
}

/** A coin, the object itself, a chair: the same scans at three sizes. Wanted: the same set, errors in proportion within 1.2 times. */
export async function sizeTrial(seeds: number[], names: BenchObjectName[], manner: TrialManner): Promise<void> {
  for (const name of names) {
    for (const seed of seeds) {
      for (const size of [1, 0.1, 10]) {
        const r = await registrationTrial(benchObject(name), { seed, views: 12, points: 60_000 }, { ...manner, size });
        report(`${name} seed ${seed}, ${size} times the size (shift in proportion)`, {
          ...r,
          worstShift: r.worstShift / size,
        });
      }
    }
  }
}

function twice(object: BenchObject): BenchObject {
  const positions = object.mesh.positions.map((v) => 2 * v);
  return {
    ...object,
    mesh: { ...object.mesh, positions },
    color: (x, y, z) => object.color(x / 2, y / 2, z / 2),
  };
}

/** One line a trial. */
export function report(title: string, r: TrialResult): void {
  const loose = r.scans - r.registered - r.doubtful;
  console.log(
    `${title}: neighbours overlap ${(100 * r.chainOverlap).toFixed(0)} %, ${r.registered}/${r.scans} registered, ${r.doubtful} in doubt, ${loose} loose, worst registered ${r.worstAngleDeg.toFixed(3)}° ${r.worstShift.toFixed(3)} mm, ${r.overPredicted.toFixed(1)} times the predicted, ${r.seconds.toFixed(1)} s`,
  );
}
