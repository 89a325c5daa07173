import type { PointCloud, Scan } from '@amber-knit/core/geometry';
import {
  createRandom,
  gaussian,
  invertRigid,
  multiply,
  symmetricEigen,
  transformPoint,
  type Mat4,
  type Vec3,
} from '@amber-knit/core/math';
import { refinePlacements } from '@amber-knit/core/registration';
import { createRunContext } from '@amber-knit/core/runtime';
import { simulateSingleViews } from '@amber-knit/demo';
import { benchObject, type BenchObjectName } from './objects.js';
import { cleanViews } from './registration-trial.js';

const VIEWS = 6;
const NOISE = 0.1;

/**
 * Predicted uncertainty of placements against what happens: six views without noise, then `seeds` times fresh noise of
 * 0.1 mm along the rays, fitted together from the true places. For every scan the spread of its errors is compared with
 * the prediction in all six directions (eigenvalues of P⁻¹ S). Wanted: within a factor 2 in every direction.
 */
export async function uncertaintyTrial(names: readonly BenchObjectName[], seeds: number): Promise<void> {
  for (const name of names) {
    const { mesh, color } = benchObject(name);
    const views = simulateSingleViews(mesh, color, { seed: 1, views: VIEWS, setups: 2, noise: 0, points: 60_000 });
    const scans = cleanViews(views);
    const truth = views.map((v) => v.objectFromSensor);
    const predicted = scans.map(() => new Float64Array(36));
    const errors: number[][][] = scans.map(() => []);
    // The anchor may change with the noise; what is left out of account then is tiny.
    let fixed: number | undefined;
    for (let seed = 1; seed <= seeds; seed++) {
      const noisy = scans.map((s, i): Scan => ({ ...s, cloud: withNoise(s.cloud, 1000 * seed + i) }));
      const start = noisy.map((s, i) => ({ name: s.name, state: 'placed' as const, pieceFromScan: truth[i] }));
      const { placements, anchor } = await refinePlacements(
        noisy,
        start,
        { reference: scans[0].name },
        createRunContext({ seed }),
      );
      fixed ??= scans.findIndex((s) => s.name === anchor);
      const pieceFromObject = multiply(placements[fixed].pieceFromScan, invertRigid(truth[fixed]));
      placements.forEach((p, i) => {
        if (!p.uncertainty) return;
        p.uncertainty.covariance.forEach((v, k) => (predicted[i][k] += v / seeds));
        errors[i].push(
          smallMotion(
            multiply(p.pieceFromScan, invertRigid(multiply(pieceFromObject, truth[i]))),
            p.uncertainty.centre,
          ),
        );
      });
    }
    for (let i = 0; i < scans.length; i++) if (i !== fixed) report(`${name} scan ${i}`, predicted[i], errors[i]);
  }
}

function withNoise(cloud: PointCloud, seed: number): PointCloud {
  const random = createRandom(seed);
  const positions = cloud.positions.slice();
  for (let i = 0; i < positions.length; i += 3) {
    const distance = Math.hypot(positions[i], positions[i + 1], positions[i + 2]);
    const stretch = 1 + (gaussian(random) * NOISE * (distance / 350) ** 2) / distance;
    for (let k = 0; k < 3; k++) positions[i + k] *= stretch;
  }
  return { ...cloud, positions };
}

/** Turn and shift about a centre of a motion close to none. */
function smallMotion(m: Mat4, centre: Vec3): number[] {
  const to = transformPoint(m, ...centre);
  return [
    0.5 * (m[6] - m[9]),
    0.5 * (m[8] - m[2]),
    0.5 * (m[1] - m[4]),
    to[0] - centre[0],
    to[1] - centre[1],
    to[2] - centre[2],
  ];
}

function report(title: string, P: Float64Array, errors: number[][]): void {
  const n = errors.length;
  const mean = Array.from({ length: 6 }, (_, k) => errors.reduce((s, e) => s + e[k] / n, 0));
  const S = new Float64Array(36);
  for (const e of errors) {
    for (let r = 0; r < 6; r++)
      for (let c = 0; c < 6; c++) S[6 * r + c] += ((e[r] - mean[r]) * (e[c] - mean[c])) / (n - 1);
  }
  const { values, vectors } = symmetricEigen(scaled(P), 6);
  // P^(-1/2) S P^(-1/2)
  const W = new Float64Array(36);
  for (let e = 0; e < 6; e++) {
    for (let r = 0; r < 6; r++) {
      for (let c = 0; c < 6; c++) W[6 * r + c] += (vectors[6 * e + r] * vectors[6 * e + c]) / Math.sqrt(values[e]);
    }
  }
  const ratio = symmetricEigen(product(product(W, scaled(S)), W), 6).values;
  const factors = [Math.sqrt(ratio[0]), Math.sqrt(ratio[5])];
  const along = (A: Float64Array, d: number): string => Math.sqrt(A[7 * d]).toFixed(4);
  console.log(
    `${title}: spread / predicted from ${factors[0].toFixed(2)} to ${factors[1].toFixed(2)}; loosest predicted ${Math.sqrt(values[5]).toFixed(4)} mm; along x y z ${[3, 4, 5].map((d) => along(S, d)).join(' ')} mm (predicted ${[3, 4, 5].map((d) => along(P, d)).join(' ')}), mean error ${mean
      .slice(3)
      .map((v) => v.toFixed(4))
      .join(' ')} mm`,
  );
}

/** Turns as the way of a surface 50 mm away. */
const scaled = (A: Float64Array): Float64Array => A.map((v, k) => v * (k / 6 < 3 ? 50 : 1) * (k % 6 < 3 ? 50 : 1));

function product(A: Float64Array, B: Float64Array): Float64Array {
  const out = new Float64Array(36);
  for (let r = 0; r < 6; r++) {
    for (let c = 0; c < 6; c++) for (let k = 0; k < 6; k++) out[6 * r + c] += A[6 * r + k] * B[6 * k + c];
  }
  return out;
}
