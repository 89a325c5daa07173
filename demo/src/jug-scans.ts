import type { DepthFrame, Scan, TriangleMesh } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTwist,
  gaussian,
  invertRigid,
  lookAt,
  multiply,
  type Mat4,
  type Vec3,
} from '@amber-knit/core/math';
import { joinFrames } from '@amber-knit/core/pointcloud';
import { captureFrame, HAND_HELD_DEPTH_CAMERA } from './depth-camera.js';
import { galleyJug } from './galley-jug.js';
import { truthMesh } from './truth-mesh.js';
import { restingPose, setupScene, UPRIGHT, UPSIDE_DOWN } from './scene.js';

/** A scan of the demo piece with the truth that a registration should find. */
export interface DemoScan {
  setup: string;
  scan: Scan;
  objectFromScan: Mat4;
}

interface Sweep {
  name: string;
  setup: 'Upright' | 'Upside down';
  /** Degrees around, degrees up, for the middle of the sweep. */
  around: number;
  up: number;
  distance: number;
  frames: number;
}

const SWEEPS: Sweep[] = [
  { name: 'Handle side', setup: 'Upright', around: 20, up: 22, distance: 330, frames: 5 },
  { name: 'Lip side', setup: 'Upright', around: 140, up: 24, distance: 330, frames: 5 },
  { name: 'Drops side', setup: 'Upright', around: 255, up: 22, distance: 330, frames: 5 },
  { name: 'Rim and inside', setup: 'Upright', around: 60, up: 62, distance: 310, frames: 6 },
  { name: 'Foot ring', setup: 'Upside down', around: 30, up: 58, distance: 320, frames: 5 },
  { name: 'Below the handle', setup: 'Upside down', around: 95, up: 20, distance: 330, frames: 5 },
  { name: 'Below the lip', setup: 'Upside down', around: 215, up: 20, distance: 330, frames: 5 },
  { name: 'Below the drops', setup: 'Upside down', around: 325, up: 22, distance: 330, frames: 5 },
];

/**
 * The demo piece: two setups of four scans each, every scan a short sweep of a few frames with known poses inside the
 * scan, the scans in unknown positions to one another. Just under 400,000 points together, the table included. Same seed, same bytes.
 */
export function simulateJugScans(
  seed = 7,
  onProgress?: (fraction: number) => void,
): { scans: DemoScan[]; truth: TriangleMesh } {
  const truth = truthMesh(galleyJug);
  const scans = SWEEPS.map((sweep, i) => {
    onProgress?.(i / SWEEPS.length);
    return simulateSweep(sweep, truth, seed * 1000 + i);
  });
  return { scans, truth };
}

function simulateSweep(sweep: Sweep, truth: TriangleMesh, seed: number): DemoScan {
  const random = createRandom(seed);
  const worldFromObject = restingPose(truth, sweep.setup === 'Upright' ? UPRIGHT : UPSIDE_DOWN);
  const scene = setupScene(truth, worldFromObject, galleyJug.color, 0.55, 118);
  const middle: Vec3 = [0, 0, 74];
  const poses: Mat4[] = [];
  const frames: Omit<DepthFrame, 'scanFromSensor'>[] = [];
  for (let f = 0; f < sweep.frames; f++) {
    const t = f - (sweep.frames - 1) / 2;
    const around = ((sweep.around + 16 * t + 2 * gaussian(random)) * Math.PI) / 180;
    const up = ((sweep.up + (f % 2 === 0 ? 5 : -5) + 2 * gaussian(random)) * Math.PI) / 180;
    const distance = sweep.distance + 8 * gaussian(random);
    const eye: Vec3 = [
      middle[0] + distance * Math.cos(up) * Math.cos(around),
      middle[1] + distance * Math.cos(up) * Math.sin(around),
      middle[2] + distance * Math.sin(up),
    ];
    const pose = lookAt(eye, middle, [0, 0, 1]);
    poses.push(pose);
    frames.push(captureFrame(scene, pose, HAND_HELD_DEPTH_CAMERA, random, `frame ${f + 1}`));
  }
  // The scan's frame is its first sensor's; tracking inside the scan is good but not perfect.
  const scanFromWorld = invertRigid(poses[0]);
  const posed: DepthFrame[] = frames.map((frame, f) => {
    const exact = multiply(scanFromWorld, poses[f]);
    const wobble = f === 0 ? 0 : 1;
    const error = fromTwist(
      ...([0, 0, 0].map(() => wobble * 0.00008 * gaussian(random)) as Vec3),
      ...([0, 0, 0].map(() => wobble * 0.02 * gaussian(random)) as Vec3),
    );
    return { ...frame, scanFromSensor: multiply(exact, error) };
  });
  return {
    setup: sweep.setup,
    scan: { name: sweep.name, cloud: joinFrames(posed, 1.15), frames: posed },
    objectFromScan: multiply(invertRigid(worldFromObject), poses[0]),
  };
}
