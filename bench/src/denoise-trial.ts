import { triangleCount, vertexCount, vertexNormals, type TriangleMesh } from '@amber-knit/core/geometry';
import { createRandom } from '@amber-knit/core/math';
import { weldVertices } from '@amber-knit/core/mesh';
import { denoiseMesh } from '@amber-knit/core/smoothing';
import { createRunContext } from '@amber-knit/core/runtime';
import { TriangleBvh, type SurfaceHit } from '@amber-knit/core/spatial';
import { subdivided } from './damage.js';
import { benchObject, dragonOf, type BenchObjectName } from './objects.js';
import { spread } from './surface-truth.js';

const SAMPLES = 200_000;
/** An edge is crisp where its triangles turn by this, and kept where they still turn by most of it. */
const CRISP = (45 * Math.PI) / 180;
const KEPT = 0.7;

/** Meshes with noise along their normals are smoothed; what is left of the noise and of the crisp edges is told. */
export function denoiseTrial(names: BenchObjectName[], seeds: number[], noise: number): void {
  for (const name of names) {
    for (const seed of seeds) {
      const whole = name === 'dragon' ? dragonOf(2) : subdivided(weldVertices(benchObject(name).mesh), 1.6);
      const truth = new TriangleBvh(whole);
      const noisy = withNoise(whole, noise, seed);
      const before = rms(noisy, truth);
      const start = performance.now();
      const r = denoiseMesh(noisy, {}, createRunContext());
      const seconds = (performance.now() - start) / 1000;
      console.log(
        `${`${name} seed ${seed}`.padEnd(16)} ${triangleCount(whole)} triangles  noise found ${r.noise.toFixed(4)} mm  RMS ${before.toFixed(4)} → ${rms(r.mesh, truth).toFixed(4)} mm, ${(rms(r.mesh, truth) / before).toFixed(2)}×  crisp edges kept ${(100 * kept(whole, r.mesh)).toFixed(1)} %  ${seconds.toFixed(1)} s`,
      );
    }
  }
}

function withNoise(mesh: TriangleMesh, noise: number, seed: number): TriangleMesh {
  const random = createRandom(seed);
  const normals = vertexNormals(mesh);
  const positions = mesh.positions.slice();
  for (let v = 0; v < vertexCount(mesh); v++) {
    const d = noise * Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    for (let k = 0; k < 3; k++) positions[3 * v + k] += d * normals[3 * v + k];
  }
  return { ...mesh, positions };
}

function rms(mesh: TriangleMesh, truth: TriangleBvh): number {
  const { points } = spread(mesh, SAMPLES, 7);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  let sum = 0;
  for (let i = 0; i < points.length; i += 3) {
    truth.closest(points[i], points[i + 1], points[i + 2], 1e9, hit);
    sum += hit.squaredDistance;
  }
  return Math.sqrt(sum / SAMPLES);
}

/** Share of the crisp edges that are still crisp, for meshes with the same triangles. */
function kept(truth: TriangleMesh, mesh: TriangleMesh): number {
  const sides = new Map<number, number>();
  const n = vertexCount(truth);
  let crisp = 0;
  let still = 0;
  for (let t = 0; t < triangleCount(truth); t++) {
    for (let k = 0; k < 3; k++) {
      const a = truth.indices[3 * t + k];
      const b = truth.indices[3 * t + ((k + 1) % 3)];
      const other = sides.get(b * n + a);
      if (other === undefined) {
        sides.set(a * n + b, t);
        continue;
      }
      const angle = turn(truth, t, other);
      if (angle < CRISP) continue;
      crisp++;
      if (turn(mesh, t, other) >= KEPT * angle) still++;
    }
  }
  return still / Math.max(1, crisp);
}

function turn(mesh: TriangleMesh, t: number, u: number): number {
  const a = normal(mesh, t);
  const b = normal(mesh, u);
  return Math.acos(Math.min(1, Math.max(-1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2])));
}

function normal({ positions: p, indices }: TriangleMesh, t: number): [number, number, number] {
  const [a, b, c] = [0, 1, 2].map((k) => 3 * indices[3 * t + k]);
  const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const v = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
  const l = Math.hypot(n[0], n[1], n[2]) || 1;
  return [n[0] / l, n[1] / l, n[2] / l];
}
