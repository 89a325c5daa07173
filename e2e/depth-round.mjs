import { zipSync } from 'fflate';
import { encodeDepthPng } from '@amber-knit/core/io';
import { pinhole } from '@amber-knit/core/geometry';
import { createRandom, fromTwist, lookAt, multiply, toQuaternion } from '@amber-knit/core/math';
import { encodeColorPng } from '@amber-knit/core/stored';
import {
  captureFrame,
  galleyJug,
  HAND_HELD_DEPTH_CAMERA,
  restingPose,
  setupScene,
  truthMesh,
  UPRIGHT,
} from '@amber-knit/demo';

const camera = { ...HAND_HELD_DEPTH_CAMERA, depth: pinhole(200, 150, 34), color: { width: 200, height: 150 } };
const UNITS_PER_MM = 50;

/**
 * A zip of depth pictures of one round about the jug, with the poses of its frames; some of these are wrong by a few
 * millimetres and degrees.
 * @param {number} count
 * @param {number[]} astray numbers of the frames whose poses are wrong
 */
export function depthRoundFile(count, astray) {
  const truth = truthMesh(galleyJug, 2);
  const scene = setupScene(truth, restingPose(truth, UPRIGHT), galleyJug.color, 0.55, 118);
  const random = createRandom(5);
  const { width, height, fx, fy, cx, cy } = camera.depth;
  const text = (s) => new TextEncoder().encode(s);
  const files = {};
  const poses = ['# time tx ty tz qx qy qz qw'];
  for (let k = 0; k < count; k++) {
    const a = (2 * Math.PI * k) / count;
    const pose = lookAt([300 * Math.cos(a), 300 * Math.sin(a), 200], [0, 0, 70], [0, 0, 1]);
    const frame = captureFrame(scene, pose, camera, random, `${k}`);
    const told = astray.includes(k) ? multiply(fromTwist(0, 0.02, 0, 3, -2, 3), pose) : pose;
    const [w, x, y, z] = toQuaternion(told);
    poses.push(`${k} ${[12, 13, 14].map((i) => told[i] / 1000).join(' ')} ${x} ${y} ${z} ${w}`);
    const name = String(k).padStart(3, '0');
    files[`depth/${name}.png`] = encodeDepthPng(frame.depth, frame.camera, UNITS_PER_MM);
    if (frame.color) files[`color/${name}.png`] = encodeColorPng(frame.color.image);
  }
  const color = { width: 200, height: 150, fx, fy, cx, cy };
  files['intrinsics.json'] = text(
    JSON.stringify({ width, height, fx, fy, cx, cy, depthUnitsPerMm: UNITS_PER_MM, color }),
  );
  files['trajectory.txt'] = text(poses.join('\n'));
  return { name: 'jug round.zip', mimeType: 'application/zip', buffer: Buffer.from(zipSync(files, { level: 0 })) };
}
