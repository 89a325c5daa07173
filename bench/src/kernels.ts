import {
  pinhole,
  pointCount,
  selectPoints,
  triangleCount,
  type ColorImage,
  type DepthFrame,
  type PointCloud,
} from '@amber-knit/core/geometry';
import { findLineCentres } from '@amber-knit/core/line-laser';
import { createRandom, gaussian, fromTranslation, identity, lookAt } from '@amber-knit/core/math';
import { computeFpfh, estimateNormals, removeStrayPoints, thinByVoxel } from '@amber-knit/core/pointcloud';
import { registerIcp } from '@amber-knit/core/registration';
import { integrateFrame, marchingCubes, SignedField } from '@amber-knit/core/fusion';
import { createRunContext } from '@amber-knit/core/runtime';
import { PointGrid } from '@amber-knit/core/spatial';
import {
  captureFrame,
  captureLine,
  galleyJug,
  HAND_HELD_DEPTH_CAMERA,
  restingPose,
  setupScene,
  truthMesh,
  UPRIGHT,
} from '@amber-knit/demo';
import { best, yardstick } from './yardstick.js';

/**
 * Prints the speed of the main kernels on the galley jug, one core. The last column is the time as a multiple of a
 * yardstick measured in the same run (20 million square roots), so that machines and days can be compared.
 */
export function kernels(): void {
  const yard = best(3, yardstick);
  console.log(`yardstick ${yard.toFixed(0)} ms (20 million square roots)`);
  const row = (name: string, ms: number, figure: string): void =>
    console.log(`${name.padEnd(42)} ${ms.toFixed(0).padStart(7)} ms  ${figure.padEnd(28)} ${(ms / yard).toFixed(1)}×`);
  const perSecond = (n: number, ms: number): string => `${Math.round(n / ms).toLocaleString('en-US')}k points/s`;
  const ctx = createRunContext();
  const cloud = jugCloud(200_000, 0.05);
  const n = pointCount(cloud);

  let ms = best(3, () => estimateNormals(cloud, [[0, 0, 500]], {}, ctx));
  row('normals, 200k points, 30 neighbours', ms, perSecond(n, ms));
  ms = best(3, () => thinByVoxel(cloud, 1));
  row('thinning, 200k points, 1 mm', ms, perSecond(n, ms));
  ms = best(2, () => removeStrayPoints(cloud, [], {}, ctx));
  row('stray points, 200k points', ms, perSecond(n, ms));
  const few = thinByVoxel(cloud, 2.6).cloud;
  ms = best(2, () => computeFpfh(few, 13));
  row(`FPFH, ${Math.round(pointCount(few) / 1000)}k points`, ms, perSecond(pointCount(few), ms));

  const other = jugCloud(200_000, 0.05, 2);
  const grid = new PointGrid(cloud.positions, 2);
  const all = Uint32Array.from({ length: pointCount(other) }, (_, i) => i);
  const iterations = 12;
  ms = best(3, () =>
    registerIcp(other, all, cloud, grid, fromTranslation(0.3, -0.2, 0.1), {
      maxDistance: 2,
      minDistance: 0.5,
      maxIterations: iterations,
    }),
  );
  row('point-to-plane ICP, one iteration, 200k/200k', ms / iterations, perSecond(pointCount(other), ms / iterations));

  const frame = jugFrame();
  for (const voxel of [0.75, 0.375]) {
    const field = new SignedField(voxel);
    const integrate = (): unknown => integrateFrame(field, frame, identity(), { truncation: 3 * voxel, scan: 0 });
    integrate();
    ms = best(5, integrate);
    row(`TSDF, 640×480 frame, voxel 1/${Math.round(150 / voxel)}`, ms, `${(1000 / ms).toFixed(1)} frames/s`);
    if (voxel < 0.5) continue;
    let triangles = 0;
    ms = best(2, () => (triangles = triangleCount(marchingCubes(field, 0, ctx))));
    row(`marching cubes, ${Math.round(triangles / 1000)}k triangles`, ms, `${Math.round(triangles / ms)}k triangles/s`);
  }
  const picture = linePicture();
  ms = best(5, () => findLineCentres(picture));
  row('line centres, 640×480 picture', ms, `${(1000 / ms).toFixed(0)} pictures/s`);
  console.log(`peak memory ${Math.round(process.resourceUsage().maxRSS / 1024)} MB`);
}

/** The jug under the laser line. */
function linePicture(): ColorImage {
  const truth = truthMesh(galleyJug, 2);
  const scene = setupScene(truth, restingPose(truth, UPRIGHT), galleyJug.color, 0.5, 118);
  const stand = { distance: 420, height: 80, laserAngle: 30, yaw: 0, pitch: 0 };
  const light = { turned: 0, laser: 0.45, exposure: 1, roomLight: 0.2 };
  const model = { camera: pinhole(640, 480, 42), sheetWidth: 0.5, sharpAt: 420 };
  return captureLine(scene, model, { ...stand, ...light }, createRandom(1));
}

/** Points evenly over the true surface with noise along the normal. */
export function jugCloud(count: number, noise: number, seed = 1): PointCloud {
  const truth = truthMesh(galleyJug);
  const random = createRandom(seed);
  const t = triangleCount(truth);
  const sums = new Float64Array(t);
  let total = 0;
  const p = truth.positions;
  const corner = (k: number, c: number): number => 3 * truth.indices[3 * k + c];
  const normalOf = (k: number): [number, number, number, number] => {
    const [a, b, c] = [corner(k, 0), corner(k, 1), corner(k, 2)];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const l = Math.hypot(x, y, z) || 1;
    return [x / l, y / l, z / l, l / 2];
  };
  for (let k = 0; k < t; k++) sums[k] = total += normalOf(k)[3];
  const positions = new Float32Array(3 * count);
  const normals = new Float32Array(3 * count);
  for (let i = 0; i < count; i++) {
    let lo = 0;
    let hi = t - 1;
    const target = random() * total;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if (sums[mid] < target) lo = mid + 1;
      else hi = mid;
    }
    const [nx, ny, nz] = normalOf(lo);
    const r = Math.sqrt(random());
    const s = random();
    const w = [1 - r, r * (1 - s), r * s];
    const d = noise * gaussian(random);
    [nx, ny, nz].forEach((v, a) => {
      normals[3 * i + a] = v;
      positions[3 * i + a] = d * v + w.reduce((sum, wc, c) => sum + wc * p[corner(lo, c) + a], 0);
    });
  }
  // In the order of space, as scans come line by line.
  const { order } = new PointGrid(positions, 2);
  return selectPoints({ positions, normals }, order);
}

/** One 640×480 view of the jug; its `scanFromSensor` puts it into the jug's frame. */
function jugFrame(): DepthFrame {
  const scene = setupScene(truthMesh(galleyJug), identity(), galleyJug.color, 0, 0);
  const pose = lookAt([0, -330, 120], [0, 0, 75], [0, 0, 1]);
  const camera = { ...HAND_HELD_DEPTH_CAMERA, depth: pinhole(640, 480, 34) };
  return { ...captureFrame(scene, pose, camera, createRandom(1), 'bench'), scanFromSensor: pose };
}
