import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fuseScans, type SurfaceShape } from '@amber-knit/core/fusion';
import type { Placement, PointCloud, Scan, TriangleMesh } from '@amber-knit/core/geometry';
import { triangleCount } from '@amber-knit/core/geometry';
import { readPly, writePly } from '@amber-knit/core/io';
import {
  createRandom,
  fromTranslation,
  gaussian,
  invertRigid,
  multiply,
  fromAxisAngle,
  transformPoints,
  rotateVectors,
  type Mat4,
} from '@amber-knit/core/math';
import { findCrossings, inspectTopology } from '@amber-knit/core/mesh';
import { estimateNormals, estimateSpacing, removeStrayPoints } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import { ThreadPool } from '@amber-knit/threads';
import { simulateSingleViews, type SingleView } from '@amber-knit/demo';
import { benchObject, type BenchObjectName } from './objects.js';
import { edgeError, surfaceError, surfaceTruth, type SurfaceError, type SurfaceTruth } from './surface-truth.js';

export interface FuseManner {
  views: number;
  points: number;
  noise: number;
  threads: number;
  shape: SurfaceShape;
  /** Beside the library's surfaces too. */
  reference: boolean;
}

const ctx = createRunContext();
/** Poses are as good as registration gives them: what two scans share lies 0.009 mm apart (docs/figures.md, in a chain). */
const POSE_SHIFT = 0.003;
const POSE_TURN = (0.004 * Math.PI) / 180;

/**
 * Registered single views of an object, cleaned of strays, fused with the suggested settings and held against the truth,
 * beside a native library's TSDF and screened Poisson of the same points.
 */
export async function fuseTrial(names: BenchObjectName[], seeds: number[], manner: FuseManner): Promise<void> {
  const pool = new ThreadPool(manner.threads);
  const own = createRunContext({ pool });
  for (const name of names) {
    for (const seed of seeds) {
      const { scans, placements, views, spacing, truth } = registeredViews(name, seed, manner);
      const voxel = Math.round(100 * Math.max(0.02, spacing)) / 100;
      const started = performance.now();
      const mesh = await fuseScans(scans, placements, { voxel, shape: manner.shape }, own);
      const seconds = (performance.now() - started) / 1000;
      const t = inspectTopology(mesh);
      report(`${name} seed ${seed} own`, surfaceError(mesh, truth, spacing / 2), seconds, mesh);
      console.log(
        `    voxel ${voxel}, spacing ${spacing.toFixed(3)}, pieces ${t.pieces}, non-manifold edges ${t.nonManifoldEdges}, rim edges ${t.boundaryEdges}`,
      );
      const edges = edgeError(mesh, truth, 2 * spacing);
      if (edges.places > 0)
        console.log(
          `    sharp edges off: median ${edges.median.toFixed(3)}  95 % ${edges.p95.toFixed(3)}  max ${edges.max.toFixed(3)} mm of ${edges.places} places, crossings ${findCrossings(mesh).length / 2}`,
        );
      if (manner.reference)
        besideReference(`${name} seed ${seed}`, views, scans, placements, voxel, truth, spacing, manner);
    }
  }
  await pool.close();
}

export interface RegisteredViews {
  views: SingleView[];
  scans: Scan[];
  placements: Placement[];
  spacing: number;
  truth: SurfaceTruth;
}

/** Views of an object, cleaned, with poses about as good as registration gives them. */
export function registeredViews(name: BenchObjectName, seed: number, manner: FuseManner): RegisteredViews {
  const object = benchObject(name);
  const views = simulateSingleViews(object.mesh, object.color, {
    views: manner.views,
    points: manner.points,
    noise: manner.noise,
    seed,
    setups: seed % 2 ? 2 : 3,
    tables: false,
  });
  const random = createRandom(seed + 100);
  const small = (): Mat4 => {
    const axis = [gaussian(random), gaussian(random), gaussian(random)] as const;
    const l = Math.hypot(...axis);
    const shift = [0, 1, 2].map(() => POSE_SHIFT * gaussian(random));
    return multiply(
      fromTranslation(shift[0], shift[1], shift[2]),
      fromAxisAngle([axis[0] / l, axis[1] / l, axis[2] / l], POSE_TURN * gaussian(random)),
    );
  };
  const scans: Scan[] = views.map((v) => ({
    name: v.name,
    cloud: removeStrayPoints(v.cloud, [[0, 0, 0]], {}, ctx).cloud,
    viewpoints: [[0, 0, 0]],
    setup: v.setup,
  }));
  const placements: Placement[] = views.map((v) => ({
    name: v.name,
    state: 'registered',
    pieceFromScan: multiply(small(), v.objectFromSensor),
  }));
  const spacing = scans.map((s) => estimateSpacing(s.cloud)).sort((a, b) => a - b)[scans.length >> 1];
  const clouds = scans.map((s, i) => transformPoints(views[i].objectFromSensor, s.cloud.positions));
  return { views, scans, placements, spacing, truth: surfaceTruth(object.mesh, clouds, 1.5 * spacing) };
}

function report(title: string, e: SurfaceError, seconds: number, mesh: TriangleMesh): void {
  console.log(
    `${title.padEnd(24)} RMS ${e.rms.toFixed(4)}  one or two scans ${e.rmsThin.toFixed(4)}  95 % ${e.p95.toFixed(4)}  max ${e.max.toFixed(3)} mm  complete ${e.complete.toFixed(4)}  unseen ${(100 * e.unseen).toFixed(1)} %  ${triangleCount(mesh)} triangles  ${seconds.toFixed(1)} s`,
  );
}

function besideReference(
  title: string,
  views: SingleView[],
  scans: Scan[],
  placements: Placement[],
  voxel: number,
  truth: SurfaceTruth,
  spacing: number,
  manner: FuseManner,
): void {
  const dir = mkdtempSync(join(tmpdir(), 'amber-fuse-'));
  try {
    writeFileSync(join(dir, 'points.ply'), writePly(joined(scans, placements)));
    const frames = views.map((v, k) => {
      const { camera, depth } = depthOf(v, scans[k].cloud);
      writeFileSync(join(dir, `${k}.f32`), new Uint8Array(depth.buffer));
      return { ...camera, sensorFromObject: Array.from(invertRigid(placements[k].pieceFromScan)) };
    });
    writeFileSync(join(dir, 'frames.json'), JSON.stringify({ voxel, threads: manner.threads, frames }));
    const script = join(import.meta.dirname, '../reference/open3d_surfaces.py');
    const env = { ...process.env, OMP_NUM_THREADS: String(manner.threads) };
    const run = spawnSync('/usr/bin/python3', [script, dir], { env, encoding: 'utf8' });
    if (run.status !== 0) {
      console.log('The reference did not run. Install it with: apt-get install python3-open3d');
      console.log((run.stderr ?? String(run.error)).split('\n').slice(-3).join('\n'));
      return;
    }
    const times = JSON.parse(run.stdout.trim().split('\n').pop()!) as Record<string, number>;
    for (const kind of ['poisson', 'tsdf']) {
      const read = readPly(new Uint8Array(readFileSync(join(dir, `${kind}.ply`))));
      const mesh = { positions: read.positions, indices: read.indices! };
      report(`${title} ${kind}`, surfaceError(mesh, truth, spacing / 2), times[kind], mesh);
    }
  } finally {
    rmSync(dir, { recursive: true });
  }
}

/** All points in the piece's frame, with normals. */
function joined(scans: Scan[], placements: Placement[]): PointCloud {
  const parts = scans.map((s, k) => {
    const normals = s.cloud.normals ?? estimateNormals(s.cloud, s.viewpoints!, {}, ctx).normals;
    const m = placements[k].pieceFromScan;
    return { positions: transformPoints(m, s.cloud.positions), normals: rotateVectors(m, normals) };
  });
  const total = parts.reduce((n, p) => n + p.positions.length, 0);
  const out = { positions: new Float32Array(total), normals: new Float32Array(total) };
  let at = 0;
  for (const p of parts) {
    out.positions.set(p.positions, at);
    out.normals.set(p.normals, at);
    at += p.positions.length;
  }
  return out;
}

/** The depth image of a view with only the points that cleaning kept. */
function depthOf(view: SingleView, cloud: PointCloud): { camera: SingleView['camera']; depth: Float32Array } {
  const { camera } = view;
  const depth = new Float32Array(camera.width * camera.height);
  const p = cloud.positions;
  for (let i = 0; i < p.length; i += 3) {
    const u = Math.round(camera.cx + (camera.fx * p[i]) / p[i + 2]);
    const v = Math.round(camera.cy + (camera.fy * p[i + 1]) / p[i + 2]);
    if (u >= 0 && v >= 0 && u < camera.width && v < camera.height) depth[v * camera.width + u] = p[i + 2];
  }
  return { camera, depth };
}
