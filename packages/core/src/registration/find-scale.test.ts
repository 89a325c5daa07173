import bunny from 'bunny';
import type { Scan, TriangleMesh } from '../geometry/index.js';
import {
  createRandom,
  fromAxisAngle,
  gaussian,
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/index.js';
import { rasterizeDepth } from '../mesh/index.js';
import { camerasAround, viewingDirections } from '../pictures/index.js';
import { createRunContext } from '../runtime/index.js';
import { lumps, meshOf } from '../../test/shapes.js';
import { findScale, type FoundScale } from './index.js';

/** What scanners that stand in some directions measure of a surface, with noise along the line of sight, as one scan. */
function scanOf(name: string, mesh: TriangleMesh, directions: Vec3[], noise: number, seed: number): Scan {
  const random = createRandom(seed);
  const points: number[] = [];
  const viewpoints: Vec3[] = [];
  for (const { camera, meshFromSensor } of camerasAround(mesh, directions, 80)) {
    const { depth } = rasterizeDepth(mesh, invertRigid(meshFromSensor), camera);
    viewpoints.push(transformPoint(meshFromSensor, 0, 0, 0));
    depth.forEach((d, i) => {
      if (d === 0) return;
      const z = d + noise * gaussian(random);
      const [u, v] = [i % 80, Math.floor(i / 80)];
      points.push(
        ...transformPoint(meshFromSensor, ((u - camera.cx) / camera.fx) * z, ((v - camera.cy) / camera.fy) * z, z),
      );
    });
  }
  return { name, cloud: { positions: Float32Array.from(points) }, viewpoints };
}

/** The scan in another frame and of another size, as a model from pictures has. */
function unscaled(scan: Scan, turn: Mat4, factor: number): Scan {
  const times = (v: Vec3): Vec3 => v.map((c) => c * factor) as Vec3;
  return {
    ...scan,
    cloud: { positions: transformPoints(turn, scan.cloud.positions).map((v) => v * factor) },
    viewpoints: scan.viewpoints!.map((v) => times(transformPoint(turn, ...v))),
  };
}

const all = viewingDirections('all', 12, 0);
const still = fromAxisAngle([0, 0, 1], 0);
const turn = multiply(fromAxisAngle([0.6, 0, 0.8], 2.1), fromAxisAngle([0, 1, 0], -0.7));

function groundOf(mesh: TriangleMesh, noise: number, seed: number) {
  const pick = [0, 3, 5, 8];
  return pick.map((k) => ({ scan: scanOf(`s${k}`, mesh, [all[k]], noise, seed + k), pieceFromScan: still }));
}

/** How far the found size is off, as a share, and how far the place is turned wrong, in degrees. */
function errorsOf(found: FoundScale, factor: number): { size: number; degrees: number } {
  const back = multiply(found.pieceFromScan, turn);
  return { size: Math.abs(found.factor * factor - 1), degrees: (rotationAngle(back) * 180) / Math.PI };
}

const body = meshOf(lumps, 48, 1.5);
/** The Stanford bunny (package "bunny"), 100 mm large. */
const rabbit: TriangleMesh = {
  positions: Float32Array.from(bunny.positions.flat(), (v) => 8 * v),
  indices: Uint32Array.from(bunny.cells.flat()),
};

test.each([
  ['a lumpy body in metres', body, 0.001, 0.08, 1],
  ['a bunny of no unit', rabbit, 0.0437, 0.1, 3],
] as const)(
  '%s: its size and place are found among scans that have theirs',
  async (_name, mesh, factor, noise, seed) => {
    const photo = unscaled(
      scanOf(
        'photo',
        mesh,
        [1, 2, 4, 6, 7, 10].map((k) => all[k]),
        noise,
        seed,
      ),
      turn,
      factor,
    );
    const found = (await findScale(photo, groundOf(mesh, noise, 10 * seed), createRunContext({ seed })))!;
    const { size, degrees } = errorsOf(found, factor);
    expect(size).toBeLessThan(0.004);
    expect(degrees).toBeLessThan(0.5);
    expect(size).toBeLessThan(4 * found.uncertainty + 1e-4);
    expect(found.quality).toBeGreaterThan(0.3);
  },
);
