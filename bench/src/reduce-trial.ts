import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { triangleCount, type TriangleMesh } from '@amber-knit/core/geometry';
import { readOff, writePly } from '@amber-knit/core/io';
import { findCrossings, inspectTopology, simplifyMesh } from '@amber-knit/core/mesh';
import { reduceMesh } from '@amber-knit/core/remeshing';
import { createRunContext } from '@amber-knit/core/runtime';
import { TriangleBvh, type SurfaceHit } from '@amber-knit/core/spatial';
import { buildCgal } from './cgal.js';
import { denseMesh, type BenchObjectName } from './objects.js';
import { spread } from './surface-truth.js';

const SAMPLES = 400_000;

/** Meshes of about a million triangles reduced to a tenth: how far the surface moved, measured from both sides, and what crosses. */
export async function reduceTrial(names: BenchObjectName[], triangles: number, reference: boolean): Promise<void> {
  const program = reference ? buildCgal() : undefined;
  for (const name of names) {
    const mesh = denseMesh(name);
    const truth = new TriangleBvh(mesh);
    const of = spread(mesh, SAMPLES, 3).points;
    console.log(`${name}: ${triangleCount(mesh)} triangles to ${triangles}`);
    const rate = (title: string, light: TriangleMesh, seconds: number): void => {
      const out = distances(spread(light, SAMPLES, 4).points, truth);
      const back = distances(of, new TriangleBvh(light));
      const t = inspectTopology(light);
      console.log(
        `  ${title.padEnd(14)} ${triangleCount(light)} triangles  RMS ${Math.sqrt((out.squares + back.squares) / 2).toFixed(5)} mm (out ${Math.sqrt(out.squares).toFixed(5)}, back ${Math.sqrt(back.squares).toFixed(5)})  largest ${Math.max(out.max, back.max).toFixed(3)}  crossings ${findCrossings(light).length / 2}  non-manifold ${t.nonManifoldEdges + t.nonManifoldVertices}  rims ${t.boundaryEdges}  ${seconds.toFixed(1)} s`,
      );
    };
    const timed = async (title: string, run: () => Promise<TriangleMesh> | TriangleMesh): Promise<void> => {
      const start = performance.now();
      const light = await run();
      rate(title, light, (performance.now() - start) / 1000);
    };
    await timed('own', () => reduceMesh(mesh, { triangles }, createRunContext()));
    await timed('meshoptimizer', () => simplifyMesh(mesh, triangles));
    if (program) {
      const dir = mkdtempSync(join(tmpdir(), 'amber-reduce-'));
      try {
        writeFileSync(join(dir, 'in.ply'), writePly({ positions: mesh.positions, indices: mesh.indices }));
        const words = ['reduce', join(dir, 'in.ply'), join(dir, 'out.off'), String(triangles)];
        const seconds = Number(execFileSync(program, words, { encoding: 'utf8' }).split(' ')[1]);
        const read = readOff(new Uint8Array(readFileSync(join(dir, 'out.off'))));
        rate('CGAL LT', { positions: read.positions, indices: read.indices! }, seconds);
      } finally {
        rmSync(dir, { recursive: true });
      }
    }
  }
}

function distances(points: Float32Array, surface: TriangleBvh): { squares: number; max: number } {
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  let sum = 0;
  let max = 0;
  for (let i = 0; i < points.length; i += 3) {
    surface.closest(points[i], points[i + 1], points[i + 2], 1e9, hit);
    sum += hit.squaredDistance;
    max = Math.max(max, hit.squaredDistance);
  }
  return { squares: sum / (points.length / 3), max: Math.sqrt(max) };
}
