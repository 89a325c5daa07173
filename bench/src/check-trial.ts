import { alignSurfaces, compareSurfaces } from '@amber-knit/core/comparison';
import { fitShape, RegionGrower, type MeasuredPoints } from '@amber-knit/core/fitting';
import { triangleCount, vertexCount, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromAxisAngle,
  fromTranslation,
  gaussian,
  identity,
  multiply,
  transformPoints,
  type Random,
  type Vec3,
} from '@amber-knit/core/math';
import { cutSurface, sectionPlane, SurfacePaths, WallThickness } from '@amber-knit/core/measure';
import { createRunContext } from '@amber-knit/core/runtime';
import { benchObject, type BenchObjectName } from './objects.js';
import { sound } from './unwrap-trial.js';

/** A place on a cylinder of Ø 60 mm about z, half of it, and the normal there. */
function onTube(random: Random): { at: Vec3; normal: Vec3 } {
  const a = Math.PI * random();
  const normal: Vec3 = [Math.cos(a), Math.sin(a), 0];
  return { at: [30 * normal[0], 30 * normal[1], 50 * random() - 25], normal };
}

/** Half a tube under harder and harder conditions: how often the truth lies within two standard uncertainties, and the worst error. */
function tubes(): void {
  const cases: [string, { noise: number; strays: number; waves: number; n: number }][] = [
    ['noise 0.1 mm', { noise: 0.1, strays: 0, waves: 0, n: 5000 }],
    ['and a fifth of strays up to 4 mm off', { noise: 0.1, strays: 0.2, waves: 0, n: 5000 }],
    ['and waves of 0.05 mm, 12 mm long', { noise: 0.1, strays: 0.2, waves: 0.05, n: 5000 }],
  ];
  for (const [name, { noise, strays, waves, n }] of cases) {
    let within = 0;
    let worst = 0;
    for (let seed = 1; seed <= 100; seed++) {
      const random = createRandom(seed);
      const points: MeasuredPoints = { positions: new Float32Array(3 * n), normals: new Float32Array(3 * n) };
      for (let i = 0; i < n; i++) {
        const { at, normal } = onTube(random);
        const wave = waves * Math.sin(at[2] / 1.9 + seed) * Math.sin(Math.atan2(at[1], at[0]) * 15 + 2 * seed);
        const off = noise * gaussian(random) + wave + (random() < strays ? 4 * random() : 0);
        for (let k = 0; k < 3; k++) {
          points.positions[3 * i + k] = at[k] + off * normal[k];
          points.normals[3 * i + k] = normal[k] + 0.1 * gaussian(random);
        }
      }
      const { shape, uncertainty } = fitShape('cylinder', points);
      const error = Math.abs(shape.radius - 30);
      worst = Math.max(worst, error);
      if (error <= 2 * uncertainty.radius) within++;
    }
    console.log(
      `half a tube of Ø 60, ${n} points, ${name}: radius within 2 σ ${within} of 100, worst ${worst.toFixed(4)} mm`,
    );
  }
}

/** A million triangles of a bumpy ball against themselves with 0.05 mm of noise along each axis. */
function millionAgainstMillion(): void {
  const [around, down] = [1000, 500];
  const positions = new Float32Array(3 * around * (down + 1));
  const indices = new Uint32Array(6 * around * down);
  for (let k = 0; k <= down; k++) {
    for (let i = 0; i < around; i++) {
      const [a, t] = [(2 * Math.PI * i) / around, (Math.PI * k) / down];
      const r = 80 * (1 + 0.1 * Math.sin(5 * a) * Math.sin(t) ** 2 * Math.cos(4 * t));
      const s = Math.sin(t);
      positions.set([r * s * Math.cos(a), r * s * Math.sin(a), r * Math.cos(t)], 3 * (k * around + i));
      if (k === down) continue;
      const [p, q] = [k * around + i, k * around + ((i + 1) % around)];
      indices.set([p, p + around, q, q, p + around, q + around], 6 * p);
    }
  }
  const random = createRandom(1);
  const noisy = { positions: positions.map((v) => v + 0.05 * gaussian(random)), indices };
  const began = performance.now();
  const { rms } = compareSurfaces(
    noisy,
    { positions, indices },
    identity(),
    { tolerance: 0.1, limit: 0 },
    createRunContext({ seed: 1 }),
  );
  console.log(`${indices.length / 3} triangles against as many: ${seconds(began)} s, ${rms.toFixed(4)} mm RMS`);
}

const seconds = (from: number): string => ((performance.now() - from) / 1000).toFixed(2);

/** Measuring on bodies: what each kind takes, as a share of taking the object in (a hierarchy of its triangles). */
export async function checkTrial(names: BenchObjectName[]): Promise<void> {
  tubes();
  millionAgainstMillion();
  for (const name of names) {
    const mesh = sound(benchObject(name).mesh);
    const away = multiply(fromTranslation(20, 10, -5), fromAxisAngle([1, 1, 0], 0.7));
    const random = createRandom(5);
    const noisy: TriangleMesh = {
      ...mesh,
      positions: transformPoints(away, mesh.positions).map((v) => v + 0.05 * gaussian(random)),
    };
    let began = performance.now();
    const walls = new WallThickness(mesh);
    const building = performance.now() - began;
    const ratio = (from: number): string => ((performance.now() - from) / building).toFixed(1);
    const p = mesh.positions;
    began = performance.now();
    for (let v = 0; v < 1000; v++) {
      const at = 3 * Math.floor((v / 1000) * vertexCount(mesh));
      walls.at([p[at], p[at + 1], p[at + 2]], [0, 0, 1], 'ball', 200);
    }
    console.log(
      `${name}, ${triangleCount(mesh)} triangles; hierarchy ${building.toFixed(0)} ms; 1000 walls ${ratio(began)} of that`,
    );
    began = performance.now();
    const paths = new SurfacePaths(mesh);
    paths.between(0, Math.floor(vertexCount(mesh) / 2));
    console.log(`  a way across ${ratio(began)}`);
    began = performance.now();
    cutSurface(mesh, sectionPlane([0, 0, 0], [0, 0, 1]));
    console.log(`  a section ${ratio(began)}`);
    began = performance.now();
    let shape = 'none there';
    try {
      shape = new RegionGrower(mesh).grow(Math.floor(vertexCount(mesh) / 3), 'any').fit.shape.kind;
    } catch {
      // A place where no simple shape fits is an answer too.
    }
    console.log(`  a shape, whichever fits (${shape}) ${ratio(began)}`);
    began = performance.now();
    const found = await alignSurfaces(noisy, mesh, 'anywhere', createRunContext({ seed: 1 }));
    console.log(`  found on its reference in ${seconds(began)} s (${ratio(began)})`);
    began = performance.now();
    const { rms } = compareSurfaces(noisy, mesh, found, { tolerance: 0.1, limit: 0 }, createRunContext({ seed: 1 }));
    console.log(
      `  compared in ${seconds(began)} s (${ratio(began)}), ${rms.toFixed(4)} mm RMS with 0.05 mm of noise along each axis`,
    );
  }
}
