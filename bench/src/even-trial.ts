import { triangleCount, type TriangleMesh } from '@amber-knit/core/geometry';
import { surfaceArea } from '@amber-knit/core/measure';
import { findCrossings, inspectTopology, weldVertices } from '@amber-knit/core/mesh';
import { EditableMesh, evenMesh, lineFinder, markCreases, measureEdges } from '@amber-knit/core/remeshing';
import { createRunContext } from '@amber-knit/core/runtime';
import { TriangleBvh, type SurfaceHit } from '@amber-knit/core/spatial';
import { benchObject, type BenchObjectName } from './objects.js';
import { spread } from './surface-truth.js';

const SAMPLES = 200_000;
const CREASE = (40 * Math.PI) / 180;
/** The result's edges at a crease may be a little blunter and still count. */
const BLUNTER = (30 * Math.PI) / 180;
/** Edge lengths in parts of the source's mean. */
const LENGTHS = [1, 2];
const MOST = 1.5;

/** Meshes remeshed to even edges: how even, how near, and how much of the creases is left. */
export function evenTrial(names: BenchObjectName[]): void {
  for (const name of names) {
    const source = weldVertices(benchObject(name).mesh);
    const mean = Math.sqrt((4 * surfaceArea(source)) / (Math.sqrt(3) * triangleCount(source)));
    for (const length of LENGTHS) {
      const edge = length * Math.min(mean, MOST);
      const start = performance.now();
      const mesh = evenMesh(source, { edge }, createRunContext());
      const seconds = (performance.now() - start) / 1000;
      const m = measureEdges(mesh);
      const t = inspectTopology(mesh);
      console.log(
        `${name.padEnd(8)} ${triangleCount(source)} → ${triangleCount(mesh)} triangles, edge ${edge.toFixed(2)} mm  spread ${m.spread.toFixed(3)}  5 % of least angles under ${((180 / Math.PI) * m.leastAngle).toFixed(1)}°  deviation ${(rms(mesh, source) / edge).toFixed(4)} edges  creases kept ${(100 * kept(source, mesh, edge)).toFixed(2)} %  crossings ${findCrossings(mesh).length / 2}  non-manifold ${t.nonManifoldEdges + t.nonManifoldVertices}  ${seconds.toFixed(1)} s`,
      );
    }
  }
}

/** From both sides. */
function rms(a: TriangleMesh, b: TriangleMesh): number {
  const one = (from: TriangleMesh, to: TriangleMesh): number => {
    const bvh = new TriangleBvh(to);
    const { points } = spread(from, SAMPLES, 3);
    const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
    let sum = 0;
    for (let i = 0; i < points.length; i += 3) {
      bvh.closest(points[i], points[i + 1], points[i + 2], Infinity, hit);
      sum += hit.squaredDistance;
    }
    return sum / SAMPLES;
  };
  return Math.sqrt((one(a, b) + one(b, a)) / 2);
}

/** Share of the source's creases, by length, that lies within a tenth of an edge of a crease of the mesh. */
function kept(source: TriangleMesh, mesh: TriangleMesh, edge: number): number {
  const from = new EditableMesh(source);
  markCreases(from, CREASE);
  const to = new EditableMesh(mesh);
  markCreases(to, BLUNTER);
  const lines = lineFinder(to);
  let all = 0;
  let still = 0;
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const p = from.positions;
  for (let h = 0; h < from.halfEdges; h++) {
    if (!from.crease[h] || from.twin[h] > h) continue;
    const [a, b] = [3 * from.origin[h], 3 * from.target(h)];
    const length = Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
    for (const s of [0.1, 0.3, 0.5, 0.7, 0.9]) {
      all += length;
      const at = [0, 1, 2].map((k) => (1 - s) * p[a + k] + s * p[b + k]);
      if (lines?.closest(at[0], at[1], at[2], edge / 10, hit)) still += length;
    }
  }
  return all > 0 ? still / all : 1;
}
