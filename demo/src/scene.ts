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
import { glossy, MATT } from './material.js';
import type { SimulatedScene } from './surface-seen.js';
import { disc, joinMeshes } from './scene-parts.js';

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
  const object: TriangleMesh = { positions: transformPoints(worldFromObject, mesh.positions), indices: mesh.indices };
  const objectTriangles = mesh.indices.length / 3;
  const material = glossy(gloss);
  return {
    mesh: tableRadius > 0 ? joinMeshes([object, disc(tableRadius)]).mesh : object,
    material: (t) => (t < objectTriangles ? material : MATT),
    color: (x, y, z, t) => {
      if (t >= objectTriangles) return plankColor(x);
      const p = transformPoint(objectFromWorld, x, y, z);
      return color(p[0], p[1], p[2]);
    },
  };
}

/** Colour of the wooden table at a place. */
export function plankColor(x: number): [number, number, number] {
  const plank = Math.floor((x + 400) / 60) % 2 === 0 ? 6 : -6;
  return [124 + plank, 104 + plank, 82 + plank];
}
