import type { Placement, Scan, TriangleMesh } from '../geometry/index.js';
import { vertexCount } from '../geometry/index.js';
import { createRandom, gaussian, identity } from '../math/index.js';
import { enclosedVolume } from '../measure/index.js';
import { inspectTopology, findCrossings } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/index.js';
import { fuseScans, type SurfaceShape } from './index.js';

const ctx = createRunContext();
/** Its faces lie between the voxels: a corner just on one is cut by about a voxel. */
const HALF = 12.17;
const NOISE = 0.03;

const placed = (scans: Scan[]): Placement[] =>
  scans.map((s) => ({ name: s.name, state: 'registered', pieceFromScan: identity() }));

/** A cube of 24.34 mm in closed form, seen from the eight directions of its corners. */
function cubeScans(count: number): Scan[] {
  return Array.from({ length: 8 }, (_, k) => {
    const signs = [k & 1 ? 1 : -1, k & 2 ? 1 : -1, k & 4 ? 1 : -1];
    const random = createRandom(k + 1);
    const positions = new Float32Array(3 * count);
    for (let i = 0; i < count; i++) {
      const axis = i % 3;
      for (let a = 0; a < 3; a++)
        positions[3 * i + a] = a === axis ? signs[a] * HALF + NOISE * gaussian(random) : HALF * (2 * random() - 1);
    }
    const eye = signs.map((s) => s * 200) as [number, number, number];
    return { name: `corner ${k}`, cloud: { positions }, viewpoints: [eye] };
  });
}

/** How far the places of the twelve edges and eight corners lie off a mesh, sorted. */
function edgesOff(mesh: TriangleMesh): { edges: number[]; corners: number[] } {
  const bvh = new TriangleBvh(mesh);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const off = (x: number, y: number, z: number): number => {
    bvh.closest(x, y, z, 100, hit);
    return Math.sqrt(hit.squaredDistance);
  };
  const edges: number[] = [];
  for (let axis = 0; axis < 3; axis++)
    for (const u of [-HALF, HALF])
      for (const v of [-HALF, HALF])
        for (let t = -HALF + 1; t < HALF - 1; t += 0.25) {
          const at = [0, 0, 0];
          at[axis] = t;
          at[(axis + 1) % 3] = u;
          at[(axis + 2) % 3] = v;
          edges.push(off(at[0], at[1], at[2]));
        }
  const corners: number[] = [];
  for (const x of [-HALF, HALF])
    for (const y of [-HALF, HALF]) for (const z of [-HALF, HALF]) corners.push(off(x, y, z));
  return { edges: edges.sort((a, b) => a - b), corners };
}

describe('a cube with 0.03 mm of noise', () => {
  const scans = cubeScans(24_000);
  const meshes: Partial<Record<SurfaceShape, TriangleMesh>> = {};
  beforeAll(async () => {
    for (const shape of ['crisp', 'even'] as const)
      meshes[shape] = await fuseScans(scans, placed(scans), { voxel: 0.5, shape }, ctx);
  });

  test('crisp: edges and corners stay where they are', () => {
    const { edges, corners } = edgesOff(meshes.crisp!);
    expect(edges[edges.length >> 1]).toBeLessThan(0.03);
    expect(edges[edges.length - 1]).toBeLessThan(0.15);
    expect(Math.max(...corners)).toBeLessThan(0.25);
  });

  test('even rounds them, by less than the voxel', () => {
    const { edges } = edgesOff(meshes.even!);
    expect(edges[edges.length >> 1]).toBeGreaterThan(0.05);
    expect(edges[edges.length - 1]).toBeLessThan(0.5);
  });

  test('crisp: its faces are level, nothing stands out', () => {
    const p = meshes.crisp!.positions;
    for (let i = 0; i < p.length; i += 3) {
      const out = Math.max(Math.abs(p[i]), Math.abs(p[i + 1]), Math.abs(p[i + 2])) - HALF;
      expect(Math.abs(out)).toBeLessThan(0.1);
    }
  });

  test('crisp: closed, one piece, true in volume, without crossings', () => {
    const mesh = meshes.crisp!;
    expect(inspectTopology(mesh)).toMatchObject({ watertight: true, pieces: 1, nonManifoldEdges: 0 });
    expect(enclosedVolume(mesh) / (2 * HALF) ** 3).toBeCloseTo(1, 3);
    expect(findCrossings(mesh)).toHaveLength(0);
  });

  test('vertices know who saw them, how squarely, from how far, and how the points spread', () => {
    const mesh = meshes.crisp!;
    const { positions: p, scanBits, scanNames, bestAngle, bestScan, bestDistance, residual } = mesh;
    expect(scanNames).toEqual(scans.map((s) => s.name));
    let looked = 0;
    let spread = 0;
    for (let i = 0; i < vertexCount(mesh); i++) {
      // The middle of the upper face: seen by the four scans from above, at about 55 degrees, from about 340 mm.
      if (Math.hypot(p[3 * i], p[3 * i + 1]) > 4 || p[3 * i + 2] < HALF - 0.2) continue;
      looked++;
      expect(scanBits![i]).toBe(0b11110000);
      expect(Math.abs(bestAngle![i] - 55)).toBeLessThan(8);
      expect(bestDistance![i]).toBeCloseTo(Math.hypot(200, 200, 188), -1);
      expect(bestScan![i]).toBeGreaterThanOrEqual(4);
      spread += residual![i];
    }
    expect(looked).toBeGreaterThan(50);
    expect(spread / looked / NOISE).toBeGreaterThan(0.9);
    expect(spread / looked / NOISE).toBeLessThan(1.1);
  });
});

test('where nothing has edges crisp gives what even gives, all but the same', async () => {
  const random = createRandom(4);
  const positions = new Float32Array(3 * 20_000);
  const normals = new Float32Array(3 * 20_000);
  for (let i = 0; i < positions.length; i += 3) {
    const n = [gaussian(random), gaussian(random), gaussian(random)];
    const l = Math.hypot(n[0], n[1], n[2]);
    const r = 15 + 0.1 * gaussian(random);
    for (let k = 0; k < 3; k++) {
      normals[i + k] = n[k] / l;
      positions[i + k] = (r * n[k]) / l;
    }
  }
  const scans: Scan[] = [{ name: 'ball', cloud: { positions, normals } }];
  const of = async (shape: SurfaceShape): Promise<number> => {
    const { positions: p } = await fuseScans(scans, placed(scans), { voxel: 0.6, shape }, ctx);
    let squares = 0;
    for (let i = 0; i < p.length; i += 3) squares += (Math.hypot(p[i], p[i + 1], p[i + 2]) - 15) ** 2;
    return Math.sqrt((3 * squares) / p.length);
  };
  const even = await of('even');
  expect((await of('crisp')) / even).toBeLessThan(1.1);
  // A ball is even all round: averaging over more of it takes more noise away.
  expect((await of('calm')) / even).toBeLessThan(0.9);
});
