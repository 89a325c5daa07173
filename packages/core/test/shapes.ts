import type { TriangleMesh } from '../src/geometry/index.js';
import { marchingCubes, sampleField } from '../src/fusion/index.js';
import { createRandom, gaussian } from '../src/math/index.js';
import { createRunContext } from '../src/runtime/index.js';

/** Shapes in closed form, for tests. */
export const sphere = (r: number) => (x: number, y: number, z: number) => Math.hypot(x, y, z) - r;
export const torus = (R: number, r: number) => (x: number, y: number, z: number) =>
  Math.hypot(Math.hypot(x, y) - R, z) - r;
export const box = (a: number, b: number, c: number) => (x: number, y: number, z: number) => {
  const q = [Math.abs(x) - a / 2, Math.abs(y) - b / 2, Math.abs(z) - c / 2];
  return Math.hypot(...q.map((v) => Math.max(v, 0))) + Math.min(Math.max(...q), 0);
};

export function meshOf(f: (x: number, y: number, z: number) => number, extent: number, voxel: number): TriangleMesh {
  const e = extent + 2 * voxel;
  return marchingCubes(sampleField(f, [-e, -e, -e], [e, e, e], voxel), 0.5, createRunContext());
}

/** Even points on a sphere (Fibonacci lattice) with noise along the radius. */
export function spherePoints(n: number, radius: number, noise = 0, seed = 1): Float32Array {
  const random = createRandom(seed);
  const out = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * (i + 0.5)) / n;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z);
    const d = radius + noise * gaussian(random);
    out.set([d * r * Math.cos(phi), d * r * Math.sin(phi), d * z], 3 * i);
  }
  return out;
}

/** Takes triangles away whose middle satisfies a condition. */
export function cutOut(mesh: TriangleMesh, gone: (x: number, y: number, z: number) => boolean): TriangleMesh {
  const indices: number[] = [];
  for (let t = 0; t < mesh.indices.length; t += 3) {
    const c = [0, 1, 2].map((k) => [0, 1, 2].reduce((s, v) => s + mesh.positions[3 * mesh.indices[t + v] + k] / 3, 0));
    if (!gone(c[0], c[1], c[2])) indices.push(mesh.indices[t], mesh.indices[t + 1], mesh.indices[t + 2]);
  }
  return { ...mesh, indices: Uint32Array.from(indices) };
}

/** A lumpy body without symmetry, about 90 mm across. */
export const lumps = (x: number, y: number, z: number): number => {
  const ball = (a: number, b: number, c: number, r: number): number => Math.hypot(x - a, y - b, z - c) - r;
  return Math.min(
    ball(0, 0, 0, 26),
    ball(22, 6, 4, 14),
    ball(-14, 20, 8, 11),
    ball(4, -20, 16, 12),
    ball(-8, -6, 26, 10),
    ball(10, 16, -20, 13),
    ball(-22, -10, -12, 9),
  );
};
