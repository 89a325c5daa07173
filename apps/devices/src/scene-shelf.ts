import {
  createRandom,
  fromTranslation,
  identity,
  invertRigid,
  multiply,
  transformPoints,
  type Mat4,
} from '@amber-knit/core/math';
import { boundsOf, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  box,
  disc,
  galleyJug,
  handWheel,
  joinMeshes,
  lump,
  MATT,
  oarFork,
  ON_ITS_SIDE,
  plankColor,
  restingPose,
  ridingLantern,
  truthMesh,
  turnedGauge,
  UPRIGHT,
  UPSIDE_DOWN,
  wheelhouseCorner,
  type DemoObject,
  type Material,
  type SimulatedScene,
} from '@amber-knit/demo';
import type { BenchArrangement } from '@amber-knit/device-protocol';
import { paintedTriangles } from './painted-triangles.js';

export const OBJECTS = [galleyJug, handWheel, oarFork, turnedGauge, ridingLantern];
/** A room that is scanned from inside instead of an object on the bench. */
export const ROOM = { id: 'wheelhouse-corner', name: 'Wheelhouse corner' };

/** A scene with what the operator needs to know of it. */
export interface BenchScene {
  scene: SimulatedScene;
  /** Middle of the object, mm above the table. */
  middle: number;
  worldFromObject: Mat4;
}

const TURNS: Record<string, Mat4> = { Upright: UPRIGHT, 'Upside down': UPSIDE_DOWN, 'On its side': ON_ITS_SIDE };
/** Edge of the truth's cells, mm. */
const TRUTH_VOXEL = 2;

let room: BenchScene | undefined;
const truths = new Map<string, TriangleMesh>();

/** The object's true surface, made once. */
export function truthOf(object: DemoObject): TriangleMesh {
  let mesh = truths.get(object.id);
  if (!mesh) truths.set(object.id, (mesh = truthMesh(object, TRUTH_VOXEL)));
  return mesh;
}

/** Builds what an arrangement puts in front of the sensor. The world's origin is the middle of the table's top. */
export function arrangeScene(a: BenchArrangement): BenchScene {
  if (a.object === ROOM.id) return (room ??= { ...wheelhouseCorner(), worldFromObject: identity() });
  const object = OBJECTS.find((o) => o.id === a.object) ?? OBJECTS[0];
  const mesh = truthOf(object);
  const resting = restingPose(mesh, TURNS[a.setup] ?? UPRIGHT);
  const worldFromObject = multiply(fromTranslation(0, 0, a.block), resting);
  const placed = { positions: transformPoints(worldFromObject, mesh.positions), indices: mesh.indices };
  const b = boundsOf(placed.positions);
  const half = Math.max(b.max[0] - b.min[0], b.max[1] - b.min[1]) / 2;
  const foot = Math.max(12, 0.45 * half);
  const parts = [disc(Math.max(118, 1.25 * half))];
  if (!a.empty && a.block > 0) parts.push(box([-foot, -foot, 0], [foot, foot, a.block]));
  if (!a.empty && a.putty) parts.push(puttyAround(placed.positions, a.block));
  if (!a.empty) parts.push(placed);
  const { mesh: all, starts } = joinMeshes(parts);
  const first = a.empty ? Infinity : starts[starts.length - 1];
  const puttyFrom = !a.empty && a.putty ? starts[starts.length - 2] : Infinity;
  const m = invertRigid(worldFromObject);
  const painted = paintedTriangles(mesh, paintOf(object, mesh, a));
  const materials = a.spray || a.empty ? [] : materialsOf(object, mesh);
  const hasGlass = materials.some((k) => k.clear > 0);
  return {
    scene: {
      mesh: all,
      material: (t) => (t >= first && !a.spray ? materials[t - first] : MATT),
      color: (x, y, z, t) => {
        if (t >= first)
          return painted(
            m[0] * x + m[4] * y + m[8] * z + m[12],
            m[1] * x + m[5] * y + m[9] * z + m[13],
            m[2] * x + m[6] * y + m[10] * z + m[14],
            t - first,
          );
        if (t >= puttyFrom) return PUTTY;
        return t < starts[1] || z <= 0.01 ? plankColor(x) : [150, 146, 138];
      },
      behindClear: hasGlass ? withoutTriangles(all, (t) => t >= first && materials[t - first].clear > 0) : undefined,
    },
    // Whoever takes the object off leaves the scanner where it is.
    middle: (b.min[2] + b.max[2]) / 2,
    worldFromObject,
  };
}

/** sRGB of the holding putty. */
const PUTTY: [number, number, number] = [74, 96, 140];
/** How far putty comes up the object and out from under it, mm. */
const PUTTY_HIGH = 9;
const PUTTY_WIDE = 7;

/** A lump of putty on the table or block, as wide as what of the object stands in it. */
function puttyAround(positions: Float32Array, height: number): TriangleMesh {
  let reach = 0;
  for (let i = 0; i < positions.length; i += 3)
    if (positions[i + 2] < height + PUTTY_HIGH) reach = Math.max(reach, Math.hypot(positions[i], positions[i + 1]));
  const p = lump(reach + PUTTY_WIDE, PUTTY_HIGH);
  return { positions: p.positions.map((v, i) => (i % 3 === 2 ? v + height : v)), indices: p.indices };
}

/** Paint of the object in its own frame, with what was stuck or sprayed onto it. */
function paintOf(
  object: DemoObject,
  mesh: TriangleMesh,
  a: BenchArrangement,
): (x: number, y: number, z: number) => [number, number, number] {
  const dots = a.dots ? dotsOn(mesh) : [];
  return (x, y, z) => {
    for (const [dx, dy, dz] of dots) {
      const d2 = (x - dx) ** 2 + (y - dy) ** 2 + (z - dz) ** 2;
      if (d2 < 12) return d2 < 4 ? [240, 240, 240] : [20, 20, 20];
    }
    const c = object.color(x, y, z);
    if (!a.spray) return c;
    return [0, 1, 2].map((k) => 205 + 0.12 * (c[k] - 205)) as [number, number, number];
  };
}

/** What each triangle is made of, from its middle. */
function materialsOf(object: DemoObject, { positions: p, indices }: TriangleMesh): Material[] {
  return Array.from({ length: indices.length / 3 }, (_, t) => {
    const [a, b, c] = [0, 1, 2].map((k) => 3 * indices[3 * t + k]);
    return object.material(
      (p[a] + p[b] + p[c]) / 3,
      (p[a + 1] + p[b + 1] + p[c + 1]) / 3,
      (p[a + 2] + p[b + 2] + p[c + 2]) / 3,
    );
  });
}

/** The mesh without some triangles, and where the others come from. */
function withoutTriangles(
  { positions, indices }: TriangleMesh,
  gone: (triangle: number) => boolean,
): { mesh: TriangleMesh; from: Int32Array } {
  const from = Int32Array.from({ length: indices.length / 3 }, (_, t) => t).filter((t) => !gone(t));
  const kept = Uint32Array.from({ length: 3 * from.length }, (_, i) => indices[3 * from[(i / 3) | 0] + (i % 3)]);
  return { mesh: { positions, indices: kept }, from };
}

/** Places of the stuck-on marker dots: vertices far from one another, always the same. */
function dotsOn(mesh: TriangleMesh): [number, number, number][] {
  const random = createRandom(5);
  const p = mesh.positions;
  const out: [number, number, number][] = [];
  for (let tries = 0; tries < 4000 && out.length < 60; tries++) {
    const v = 3 * Math.floor((random() * p.length) / 3);
    const q: [number, number, number] = [p[v], p[v + 1], p[v + 2]];
    if (out.every((o) => Math.hypot(o[0] - q[0], o[1] - q[1], o[2] - q[2]) > 18)) out.push(q);
  }
  return out;
}
