import {
  createRandom,
  fromTranslation,
  fromTwist,
  gaussian,
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
  type Vec3,
} from '@amber-knit/core/math';
import { Snapping } from '@amber-knit/core/registration';
import { progressiveOrder } from '@amber-knit/core/stored';
import { galleyJug, simulateSingleViews, truthMesh } from '@amber-knit/demo';
import { best, yardstick } from './yardstick.js';

const SAMPLED = 6000;

/**
 * Prints how long a scan that is moved by hand takes to snap onto seven others, as multiples of the yardstick, and from
 * how far off it finds its place: the hand errs by so many mm and degrees about the jug's middle, 40 tries each.
 */
export function snapping(): void {
  const views = simulateSingleViews(truthMesh(galleyJug), galleyJug.color, { views: 16, setups: 2, tables: false });
  // As the page has them: some thousand evenly spread points.
  const scans = views.map(({ cloud, objectFromSensor }) => {
    const order = progressiveOrder(cloud.positions).subarray(0, SAMPLED);
    const positions = Float32Array.from({ length: 3 * order.length }, (_, i) => {
      return cloud.positions[3 * order[Math.floor(i / 3)] + (i % 3)];
    });
    return { positions, viewpoints: [[0, 0, 0] as Vec3], pieceFromScan: objectFromSensor };
  });
  // Those of the first setup.
  const [moving, ...staying] = scans.filter((_, i) => i % 2 === 0);
  const truth = moving.pieceFromScan;
  const snaps = new Snapping(moving, staying);
  const yard = best(3, yardstick);
  const middle = fromTranslation(0, 0, 75);
  const random = createRandom(1);
  const g = (): number => gaussian(random);
  let slowest = 0;
  for (const [mm, degrees] of [
    [3, 2],
    [6, 5],
    [10, 8],
    [15, 12],
  ]) {
    let right = 0;
    let wrong = 0;
    for (let k = 0; k < 40; k++) {
      const [a, b] = [unit([g(), g(), g()], (degrees * Math.PI) / 180), unit([g(), g(), g()], mm)];
      const slip = multiply(multiply(middle, fromTwist(a[0], a[1], a[2], b[0], b[1], b[2])), invertRigid(middle));
      const held = multiply(slip, truth);
      const found = snaps.from(held);
      slowest = Math.max(
        slowest,
        best(1, () => snaps.from(held)),
      );
      if (!found.holds) continue;
      const error = multiply(found.pieceFromScan, invertRigid(truth));
      const p = transformPoint(error, 0, 0, 75);
      const near = Math.hypot(p[0], p[1], p[2] - 75) < 1 && rotationAngle(error) < 0.02;
      if (near) right++;
      else wrong++;
    }
    console.log(`${mm} mm, ${degrees}° off: ${right} of 40 snap within 1 mm and 1.1°, ${wrong} elsewhere`);
  }
  console.log(
    `slowest try ${slowest.toFixed(0)} ms, ${(slowest / yard).toFixed(2)}× the yardstick (${yard.toFixed(0)} ms)`,
  );
}

function unit(v: number[], length: number): number[] {
  const l = Math.hypot(...v);
  return v.map((x) => (x * length) / l);
}
