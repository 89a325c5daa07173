import { boundsOf, triangleCount, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromAxisAngle,
  fromTranslation,
  gaussian,
  multiply,
  type Mat4,
  type Vec3,
} from '@amber-knit/core/math';
import { PlacingGround, QUICK, setDown, THOROUGH } from '@amber-knit/core/placing';
import { reduceMesh } from '@amber-knit/core/remeshing';
import { createRunContext } from '@amber-knit/core/runtime';
import { cornerSurface } from '@amber-knit/demo';
import { denseMesh, type BenchObjectName } from './objects.js';

const TRIANGLES = 200_000;
/** Looks of one drag. */
const STEPS = 150;

/**
 * An object of 200,000 triangles is dragged through the wheelhouse corner of about as many, noisy as a scan is: how long a
 * look takes, while nothing touches and in a clash; and what the record of a placing takes.
 */
export async function placingTrial(names: BenchObjectName[], seeds: number[]): Promise<void> {
  for (const name of names) {
    const dense = denseMesh(name);
    const piece =
      triangleCount(dense) > TRIANGLES ? await reduceMesh(dense, { triangles: TRIANGLES }, createRunContext()) : dense;
    for (const seed of seeds) {
      const random = createRandom(seed);
      const scene = noisy(cornerSurface(23), 0.3, seed);
      const start = performance.now();
      const ground = new PlacingGround(piece, scene);
      const made = performance.now() - start;
      console.log(
        `${name}, seed ${seed}: ${triangleCount(piece)} triangles in ${triangleCount(scene)}, set up in ${(made / 1000).toFixed(1)} s`,
      );
      const times: Record<string, number[]> = {};
      for (let drag = 0; drag < 4; drag++) {
        const axis: Vec3 = [random() - 0.5, random() - 0.5, random() - 0.5];
        const turn = fromAxisAngle(axis.map((c) => c / Math.hypot(...axis)) as Vec3, 3 * random());
        // Over the shelf, through the wheel and the tin, into the wall and the locker.
        const from: Vec3 = [-600 + 80 * random(), 300 * random(), 700 + 60 * random()];
        const to: Vec3 = drag % 2 ? [-690, -250 * random(), 640] : [300 * random(), -500, 420 + 100 * random()];
        for (let i = 0; i < STEPS; i++) {
          const at = from.map((c, k) => c + ((to[k] - c) * i) / STEPS) as Vec3;
          const m: Mat4 = multiply(fromTranslation(...at), turn);
          const t = performance.now();
          const { state } = ground.look(m, QUICK);
          (times[state] ??= []).push(performance.now() - t);
        }
      }
      for (const [state, all] of Object.entries(times)) {
        all.sort((a, b) => a - b);
        const share = (q: number): string => all[Math.min(all.length - 1, Math.floor(q * all.length))].toFixed(1);
        console.log(
          `  ${state.padEnd(9)} ${String(all.length).padStart(4)} looks  median ${share(0.5)}  95 % ${share(0.95)}  longest ${share(1)} ms`,
        );
      }
      const t = performance.now();
      const { min, max } = boundsOf(piece.positions);
      const stood = setDown(ground, fromTranslation(0, 0, 0), [-595, 40, 615]);
      console.log(
        `  set down on the shelf: ${stood ? `${((stood[14] + min[2]) as number).toFixed(2)} mm high (615 but for noise)` : 'no room'}, ${(performance.now() - t).toFixed(0)} ms, ${(max[2] - min[2]).toFixed(0)} mm tall`,
      );
      if (!stood) continue;
      for (const sunk of [0, 3]) {
        const t0 = performance.now();
        const found = ground.look(multiply(fromTranslation(0, 0, -sunk), stood), THOROUGH);
        console.log(
          `  for the record, ${sunk} mm sunk: ${found.state}${found.clash ? ` ${found.clash.depth.toFixed(2)} mm deep (within ${found.clash.within.toFixed(2)}), ${(found.clash.volume! / 1000).toFixed(2)} cm³` : ''}, ${((performance.now() - t0) / 1000).toFixed(1)} s`,
        );
      }
    }
  }
}

/** Moved off itself as a scanner's noise would. */
function noisy(mesh: TriangleMesh, sigma: number, seed: number): TriangleMesh {
  const random = createRandom(seed);
  return { ...mesh, positions: mesh.positions.map((c) => c + sigma * gaussian(random)) };
}
