import { pointCount, type PointCloud, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTwist,
  lookAt,
  transformPoint,
  transformPoints,
  type Random,
  type Vec3,
} from '@amber-knit/core/math';
import { frameCloud, removeSupportPlane } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import {
  captureFrame,
  disc,
  galleyJug,
  glossy,
  handWheel,
  HAND_HELD_DEPTH_CAMERA,
  joinMeshes,
  lookAtScene,
  oarFork,
  plankColor,
  restingPose,
  ridingLantern,
  truthMesh,
  turnedGauge,
  UPRIGHT,
  type SimulatedScene,
} from '@amber-knit/demo';

const OBJECTS = [galleyJug, handWheel, oarFork, turnedGauge, ridingLantern];
const GROUNDS = ['tilted', 'cloth', 'disc', 'step'] as const;
const VIEWS = 12;

/**
 * Takes the support away from 20 simulated scans (five objects on a tilted table, a wavy cloth, a turntable's disc, a
 * step), where every point's true side is known, and from the objects alone, which must stay whole.
 */
export function supportTrial(): void {
  console.log('support                     left of it     object lost below 1 mm   above');
  let kept = 0;
  for (const object of OBJECTS) {
    const mesh = truthMesh(object, 1.5);
    const placed = { positions: transformPoints(restingPose(mesh, UPRIGHT), mesh.positions), indices: mesh.indices };
    for (const kind of GROUNDS) {
      const random = createRandom(31 + kept++);
      const { cloud, isObject, height, viewpoints } = scan(placed, groundOf(kind, random), random);
      const { keep, plane } = removeSupportPlane(
        cloud,
        viewpoints,
        { lowerLevels: kind === 'step' },
        createRunContext(),
      );
      let [left, own, low, high, remaining] = [0, 0, 0, 0, 0];
      for (let i = 0; i < keep.length; i++) {
        if (keep[i]) remaining++;
        if (!isObject[i]) left += keep[i];
        else {
          own++;
          if (!keep[i] && height[i] < 1) low++;
          else if (!keep[i]) high++;
        }
      }
      const percent = (a: number, b: number): string => `${((100 * a) / b).toFixed(3).padStart(7)} %`;
      const found = plane ? '' : '  (no support found)';
      console.log(
        `${object.name.padEnd(16)}${kind.padEnd(9)}${percent(left, remaining)}      ${percent(low, own)}          ${percent(high, own)}${found}`,
      );
    }
    const random = createRandom(7);
    const alone = scan(placed, undefined, random);
    const r = removeSupportPlane(alone.cloud, alone.viewpoints, { lowerLevels: true }, createRunContext());
    console.log(`${object.name.padEnd(16)}alone    ${r.plane ? `cut: ${r.removed} points` : 'left whole'}`);
  }
}

type Ground = { mesh: TriangleMesh; /** Height under a place, mm. */ at: (x: number, y: number) => number };

function groundOf(kind: (typeof GROUNDS)[number], random: Random): Ground {
  if (kind === 'disc') return { mesh: disc(95), at: () => 0 };
  if (kind === 'tilted') return { mesh: disc(140), at: () => 0 };
  const [a, b] = [0.03 + 0.01 * random(), 0.035 + 0.01 * random()];
  const cloth = (x: number, y: number): number => 0.9 * Math.sin(a * x) + 0.9 * Math.cos(b * y) - 0.9;
  // The object stands on a board that ends 85 mm from it; beyond it is the bench, 24 mm lower.
  const step = (x: number): number => (x > 85 ? -24 : 0);
  const at = kind === 'cloth' ? cloth : step;
  const n = 80;
  const edge = 160;
  const positions = new Float32Array(3 * (n + 1) * (n + 1));
  const corners: number[] = [];
  for (let j = 0; j <= n; j++) {
    for (let i = 0; i <= n; i++) {
      const [x, y] = [(2 * edge * i) / n - edge, (2 * edge * j) / n - edge];
      positions.set([x, y, at(x, y)], 3 * (j * (n + 1) + i));
      const p = j * (n + 1) + i;
      if (i < n && j < n) corners.push(p, p + 1, p + n + 1, p + 1, p + n + 2, p + n + 1);
    }
  }
  return { mesh: { positions, indices: Uint32Array.from(corners) }, at };
}

/** A round of frames, turned as a whole by some tilt, with what each point truly belongs to. */
function scan(
  object: TriangleMesh,
  ground: Ground | undefined,
  random: Random,
): { cloud: PointCloud; isObject: Uint8Array; height: Float32Array; viewpoints: Vec3[] } {
  const { mesh } = joinMeshes(ground ? [object, ground.mesh] : [object]);
  const own = object.indices.length / 3;
  const scene: SimulatedScene = {
    mesh,
    color: (x) => plankColor(x),
    material: () => glossy(0),
  };
  const tilt = fromTwist(0.5 * random(), 0.5 * random(), random(), 30 * random(), 0, 0);
  const parts: { cloud: PointCloud; object: boolean }[] = [];
  const viewpoints: Vec3[] = [];
  const heights: Float32Array[] = [];
  for (let k = 0; k < VIEWS; k++) {
    const around = (2 * Math.PI * k) / VIEWS;
    const up = 0.4 + 0.35 * random();
    const eye: Vec3 = [
      350 * Math.cos(up) * Math.cos(around),
      350 * Math.cos(up) * Math.sin(around),
      50 + 350 * Math.sin(up),
    ];
    const pose = lookAt(eye, [0, 0, 45], [0, 0, 1]);
    const frame = captureFrame(scene, pose, HAND_HELD_DEPTH_CAMERA, random, '', false);
    const seen = lookAtScene(scene, pose, frame.camera);
    viewpoints.push(transformPoint(tilt, ...eye));
    for (const isObject of [true, false]) {
      // A pixel that hangs between both is neither's: it counts for what it was aimed at.
      const depth = frame.depth.map((z, i) => (z > 0 && seen.triangle[i] < own === isObject ? z : 0));
      const inWorld = transformPoints(pose, frameCloud({ name: '', camera: frame.camera, depth }).positions);
      const h = new Float32Array(inWorld.length / 3);
      for (let i = 0; i < h.length; i++)
        h[i] = inWorld[3 * i + 2] - (ground?.at(inWorld[3 * i], inWorld[3 * i + 1]) ?? 0);
      heights.push(h);
      parts.push({ cloud: { positions: transformPoints(tilt, inWorld) }, object: isObject });
    }
  }
  const total = parts.reduce((n, p) => n + pointCount(p.cloud), 0);
  const positions = new Float32Array(3 * total);
  const isObject = new Uint8Array(total);
  const height = new Float32Array(total);
  let at = 0;
  parts.forEach((p, k) => {
    positions.set(p.cloud.positions, 3 * at);
    height.set(heights[k], at);
    if (p.object) isObject.fill(1, at, at + pointCount(p.cloud));
    at += pointCount(p.cloud);
  });
  return { cloud: { positions }, isObject, height, viewpoints };
}
