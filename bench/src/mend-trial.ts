import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { compactMesh, triangleCount, type TriangleMesh } from '@amber-knit/core/geometry';
import { readOff, writePly } from '@amber-knit/core/io';
import { mendMesh } from '@amber-knit/core/mending';
import { inspectTopology, makeManifold } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import { TriangleBvh, type SurfaceHit } from '@amber-knit/core/spatial';
import { buildCgal } from './cgal.js';
import { damage, HOLE_KINDS, subdivided, type CutHole, type HoleKind } from './damage.js';
import { benchObject, type BenchObjectName } from './objects.js';
import { spread } from './surface-truth.js';

const ctx = createRunContext();
const LONGEST_EDGE = 1.6;
/** Samples of a mended mesh, to hold its fillings against the truth. */
const SAMPLES = 600_000;

/** Meshes with holes of known sorts are mended; the fillings are held against what was cut away. */
export function mendTrial(names: BenchObjectName[], seeds: number[], reference: boolean, log: boolean): void {
  const program = reference ? buildCgal() : undefined;
  const kinds = new Map<string, Map<HoleKind, number[]>>();
  for (const name of names) {
    for (const seed of seeds) {
      const whole = subdivided(makeManifold(compactMesh(benchObject(name).mesh)).mesh, LONGEST_EDGE);
      const { mesh, holes } = damage(whole, seed);
      const truth = new TriangleBvh(whole);
      const rate = (title: string, mended: TriangleMesh, seconds: number): void => {
        const e = fillingError(mesh, mended, holes, truth);
        const t = inspectTopology(mended);
        console.log(
          `${`${name} seed ${seed} ${title}`.padEnd(28)} RMS ${e.rms.toFixed(4)} mm  largest ${e.max.toFixed(2)}  rim jump ${e.jump.toFixed(1)}°  ${t.watertight ? 'closed' : `${t.boundaryEdges} rim edges`}  ${seconds.toFixed(1)} s`,
        );
        if (log)
          console.log(
            holes.map((h, i) => `${h.kind}${h.diameter} ${(e.relative[i] * h.diameter).toFixed(3)}`).join('  '),
          );
        const byKind = kinds.get(title) ?? new Map<HoleKind, number[]>();
        kinds.set(title, byKind);
        holes.forEach((h, i) =>
          byKind.set(h.kind, [...(byKind.get(h.kind) ?? []), ...(e.relative[i] >= 0 ? [e.relative[i]] : [])]),
        );
      };
      console.log(`${name} seed ${seed}: ${triangleCount(mesh)} triangles, ${holes.length} holes`);
      const start = performance.now();
      const own = mendMesh(mesh, {}, ctx);
      rate('own', own.mesh, (performance.now() - start) / 1000);
      if (program) besideReference(program, mesh, rate);
    }
  }
  console.log(
    `\nRMS by the hole's diameter, median, %\n${''.padEnd(10)}${HOLE_KINDS.map((k) => k.padStart(9)).join('')}`,
  );
  for (const [title, byKind] of kinds) {
    const cells = HOLE_KINDS.map((k) => {
      const sorted = (byKind.get(k) ?? []).sort((a, b) => a - b);
      return sorted.length ? (100 * sorted[sorted.length >> 1]).toFixed(3).padStart(9) : '–'.padStart(9);
    });
    console.log(`${title.padEnd(10)}${cells.join('')}`);
  }
}

interface FillingError {
  rms: number;
  max: number;
  /** Of each hole by its diameter; -1 where nothing was filled. */
  relative: number[];
  /** Median turn of the normal across the rim, degrees. */
  jump: number;
}

/** What was filled is what lies on no triangle of the damaged mesh. */
function fillingError(damaged: TriangleMesh, mended: TriangleMesh, holes: CutHole[], truth: TriangleBvh): FillingError {
  const filled = newTriangles(damaged, mended);
  const { points } = spread({ positions: mended.positions, indices: filled.indices }, SAMPLES / 4, 5);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const sums = new Float64Array(holes.length);
  const counts = new Float64Array(holes.length);
  let squares = 0;
  let max = 0;
  for (let i = 0; i < points.length; i += 3) {
    truth.closest(points[i], points[i + 1], points[i + 2], 1e9, hit);
    const d = hit.squaredDistance;
    squares += d;
    max = Math.max(max, d);
    let mine = -1;
    let near = Infinity;
    holes.forEach((h, k) => {
      const away = Math.hypot(points[i] - h.center[0], points[i + 1] - h.center[1], points[i + 2] - h.center[2]);
      if (away / h.diameter < near) [near, mine] = [away / h.diameter, k];
    });
    if (mine >= 0 && near < 1) {
      sums[mine] += d;
      counts[mine]++;
    }
  }
  return {
    rms: Math.sqrt(squares / (points.length / 3)),
    max: Math.sqrt(max),
    relative: holes.map((h, k) => (counts[k] > 0 ? Math.sqrt(sums[k] / counts[k]) / h.diameter : -1)),
    jump: filled.jump,
  };
}

/** Triangles with a place of their own: not one of the damaged mesh, known by the places of their corners. */
function newTriangles(damaged: TriangleMesh, mended: TriangleMesh): { indices: Uint32Array; jump: number } {
  const key = (mesh: TriangleMesh, t: number): string =>
    [0, 1, 2]
      .map((k) => {
        const v = 3 * mesh.indices[3 * t + k];
        return [0, 1, 2].map((i) => mesh.positions[v + i].toFixed(4)).join(',');
      })
      .sort()
      .join(';');
  const old = new Set<string>();
  for (let t = 0; t < triangleCount(damaged); t++) old.add(key(damaged, t));
  const fresh = new Uint8Array(triangleCount(mended));
  const indices: number[] = [];
  for (let t = 0; t < triangleCount(mended); t++) {
    if (old.has(key(mended, t))) continue;
    fresh[t] = 1;
    indices.push(mended.indices[3 * t], mended.indices[3 * t + 1], mended.indices[3 * t + 2]);
  }
  return { indices: Uint32Array.from(indices), jump: rimJump(mended, fresh) };
}

function rimJump(mesh: TriangleMesh, fresh: Uint8Array): number {
  const normal = (t: number): number[] => {
    const p = mesh.positions;
    const [a, b, c] = [0, 1, 2].map((k) => 3 * mesh.indices[3 * t + k]);
    const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]);
    const v = [0, 1, 2].map((k) => p[c + k] - p[a + k]);
    const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const l = Math.hypot(...n) || 1;
    return n.map((x) => x / l);
  };
  const edges = new Map<string, number>();
  const jumps: number[] = [];
  for (let t = 0; t < fresh.length; t++) {
    for (let k = 0; k < 3; k++) {
      const [a, b] = [mesh.indices[3 * t + k], mesh.indices[3 * t + ((k + 1) % 3)]];
      const other = edges.get(`${b},${a}`);
      if (other === undefined) edges.set(`${a},${b}`, t);
      else if (fresh[other] !== fresh[t]) {
        const [m, n] = [normal(t), normal(other)];
        jumps.push((180 / Math.PI) * Math.acos(Math.min(1, Math.max(-1, m[0] * n[0] + m[1] * n[1] + m[2] * n[2]))));
      }
    }
  }
  jumps.sort((a, b) => a - b);
  return jumps[jumps.length >> 1] ?? 0;
}

function besideReference(
  program: string,
  mesh: TriangleMesh,
  rate: (title: string, mended: TriangleMesh, seconds: number) => void,
): void {
  const dir = mkdtempSync(join(tmpdir(), 'amber-mend-'));
  try {
    writeFileSync(join(dir, 'in.ply'), writePly({ positions: mesh.positions, indices: mesh.indices }));
    const said = execFileSync(program, ['fill', join(dir, 'in.ply'), join(dir, 'out')], { encoding: 'utf8' });
    for (const line of said.trim().split('\n')) {
      const [kind, seconds] = line.split(' ');
      const read = readOff(new Uint8Array(readFileSync(join(dir, `out-${kind}.off`))));
      rate(kind, { positions: read.positions, indices: read.indices! }, Number(seconds));
    }
  } finally {
    rmSync(dir, { recursive: true });
  }
}
