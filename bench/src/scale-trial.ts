import { boundsOf, diagonalOf, type Scan } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTwist,
  gaussian,
  multiply,
  rotateVectors,
  rotationAngle,
  transformPoints,
  type Vec3,
} from '@amber-knit/core/math';
import { estimateNormals } from '@amber-knit/core/pointcloud';
import { findScale } from '@amber-knit/core/registration';
import { createRunContext } from '@amber-knit/core/runtime';
import { simulateSingleViews } from '@amber-knit/demo';
import { benchObject, type BenchObjectName } from './objects.js';

/** Views that a model from pictures is made of, for each that scanners took. */
const PICTURED = 1.5;
/** A model from pictures is bent by so much of its size, and rougher than a scan by this factor. */
const BENT = 0.002;
const ROUGHER = 3;

/**
 * Prints whether the size of a model made from pictures is found among scans in their places: it is of any size from a
 * thousandth to thirty times, bent, rough, has normals but tells nothing of where cameras stood, and sees another part.
 * @param scanned views that have true scale and their places: the fewer, the less the two share
 */
export async function scaleTrial(name: BenchObjectName, seed: number, scanned: number): Promise<void> {
  const object = benchObject(name);
  const random = createRandom(seed);
  const views = simulateSingleViews(object.mesh, object.color, {
    views: 16,
    setups: 2,
    tables: false,
    points: 40_000,
    seed,
  });
  const size = diagonalOf(boundsOf(object.mesh.positions));
  const first = Math.floor(16 * random());
  const view = (k: number) => views[(first + 5 * k) % views.length];
  const ground = Array.from({ length: scanned }, (_, k) => ({
    scan: { name: `s${k}`, cloud: { positions: view(k).cloud.positions }, viewpoints: [[0, 0, 0] as Vec3] },
    pieceFromScan: view(k).objectFromSensor,
  }));
  const factor = 10 ** (-3 + 4.5 * random());
  const away = fromTwist(...([0, 1, 2].map(() => 1.5 * gaussian(random)) as Vec3), 40, -900, 70);
  const waves = [0, 1, 2].map(() => [0, 1, 2].map(() => (5 * gaussian(random)) / size));
  const parts = Array.from({ length: Math.ceil(PICTURED * scanned) }, (_, k) => {
    const { cloud, objectFromSensor } = view(scanned + k);
    const { normals } = estimateNormals({ positions: cloud.positions }, [[0, 0, 0]], {}, createRunContext());
    const seen = transformPoints(objectFromSensor, cloud.positions);
    const bent = seen.map((v, i) => {
      const at = i - (i % 3);
      const wave = waves[i % 3].reduce((sum, w, c) => sum + w * seen[at + c], 0);
      return v + BENT * size * Math.sin(wave) + (ROUGHER - 1) * 0.04 * gaussian(random);
    });
    return {
      positions: transformPoints(away, bent).map((v) => v * factor),
      normals: rotateVectors(multiply(away, objectFromSensor), normals!),
    };
  });
  const joined = (of: 'positions' | 'normals'): Float32Array =>
    Float32Array.from(parts.flatMap((p) => Array.from(p[of])));
  const photo: Scan = { name: 'pictures', cloud: { positions: joined('positions'), normals: joined('normals') } };
  const began = process.cpuUsage();
  const found = await findScale(photo, ground, createRunContext({ seed }));
  const { user, system } = process.cpuUsage(began);
  const seconds = ((user + system) / 1e6).toFixed(0);
  if (!found) {
    console.log(`${name} seed ${seed}: × ${factor.toPrecision(3)}, none found, ${seconds} s`);
    return;
  }
  const degrees = (180 / Math.PI) * rotationAngle(multiply(found.pieceFromScan, away));
  const off = found.factor * factor - 1;
  console.log(
    `${name} seed ${seed}: × ${factor.toPrecision(3)}, size off ${(100 * off).toFixed(2)} % (± ${(200 * found.uncertainty).toFixed(2)}), turned ${degrees.toFixed(2)}°, quality ${found.quality.toFixed(2)}, rival ${found.rival ? `${(found.rival.factor / found.factor).toFixed(2)} at ${found.rival.share.toFixed(2)}` : 'none'}, ${seconds} s`,
  );
}
