import type { TriangleMesh } from '@amber-knit/core/geometry';
import { boundsOf } from '@amber-knit/core/geometry';
import {
  fromAxisAngle,
  fromTranslation,
  multiply,
  transformPoints,
  invertRigid,
  transformPoint,
  type Mat4,
} from '@amber-knit/core/math';
import type { SimulatedScene } from './depth-camera.js';

/** How the object lies in a setup: its own frame to the setup's world, resting on z = 0. */
export function restingPose(mesh: TriangleMesh, turn: Mat4): Mat4 {
  const b = boundsOf(transformPoints(turn, mesh.positions));
  const x = -(b.min[0] + b.max[0]) / 2;
  const y = -(b.min[1] + b.max[1]) / 2;
  return multiply(fromTranslation(x, y, -b.min[2]), turn);
}

export const UPRIGHT: Mat4 = fromAxisAngle([0, 0, 1], 0.4);
export const UPSIDE_DOWN: Mat4 = fromAxisAngle([1, 0.2, 0], Math.PI);
export const ON_ITS_SIDE: Mat4 = fromAxisAngle([0.2, 1, 0], Math.PI / 2);

/** The object in a setup, with the table it stands on if `tableRadius` is above 0. */
export function setupScene(
  mesh: TriangleMesh,
  worldFromObject: Mat4,
  color: (x: number, y: number, z: number) => [number, number, number],
  gloss: number,
  tableRadius: number,
): SimulatedScene {
  const objectFromWorld = invertRigid(worldFromObject);
  const objectTriangles = mesh.indices.length / 3;
  let positions = transformPoints(worldFromObject, mesh.positions);
  let indices = mesh.indices;
  if (tableRadius > 0) {
    const base = positions.length / 3;
    const rim = 48;
    const table = new Float32Array(3 * (rim + 1));
    const fan = new Uint32Array(3 * rim);
    for (let i = 0; i < rim; i++) {
      const a = (2 * Math.PI * i) / rim;
      table.set([tableRadius * Math.cos(a), tableRadius * Math.sin(a), 0], 3 * (i + 1));
      fan.set([base, base + 1 + i, base + 1 + ((i + 1) % rim)], 3 * i);
    }
    const all = new Float32Array(positions.length + table.length);
    all.set(positions);
    all.set(table, positions.length);
    positions = all;
    const both = new Uint32Array(indices.length + fan.length);
    both.set(indices);
    both.set(fan, indices.length);
    indices = both;
  }
  return {
    mesh: { positions, indices },
    gloss: (t) => (t < objectTriangles ? gloss : 0),
    color: (x, y, z, t) => {
      if (t < objectTriangles) {
        const p = transformPoint(objectFromWorld, x, y, z);
        return color(p[0], p[1], p[2]);
      }
      const plank = Math.floor((x + 400) / 60) % 2 === 0 ? 6 : -6;
      return [124 + plank, 104 + plank, 82 + plank];
    },
  };
}
