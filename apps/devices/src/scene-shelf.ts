import {
  createRandom,
  fromTranslation,
  identity,
  invertRigid,
  multiply,
  transformPoint,
  transformPoints,
  type Mat4,
} from '@amber-knit/core/math';
import { VoxelTable } from '@amber-knit/core/spatial';
import { boundsOf, type TriangleMesh } from '@amber-knit/core/geometry';
import {
  box,
  disc,
  galleyJug,
  handWheel,
  joinMeshes,
  oarFork,
  ON_ITS_SIDE,
  plankColor,
  restingPose,
  truthMesh,
  turnedGauge,
  UPRIGHT,
  UPSIDE_DOWN,
  wheelhouseCorner,
  type DemoObject,
  type SimulatedScene,
} from '@amber-knit/demo';
import type { BenchArrangement } from '@amber-knit/device-protocol';

export const OBJECTS = [galleyJug, handWheel, oarFork, turnedGauge];
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
/** Places closer than this share a colour, mm. */
const COLOR_CELL = 0.5;

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
  if (!a.empty) parts.push(placed);
  const { mesh: all, starts } = joinMeshes(parts);
  const first = a.empty ? Infinity : starts[starts.length - 1];
  const objectFromWorld = invertRigid(worldFromObject);
  const dots = a.dots ? dotsOn(mesh) : [];
  const paint = (x: number, y: number, z: number): [number, number, number] => {
    for (const [dx, dy, dz] of dots) {
      const d2 = (x - dx) ** 2 + (y - dy) ** 2 + (z - dz) ** 2;
      if (d2 < 12) return d2 < 4 ? [240, 240, 240] : [20, 20, 20];
    }
    const c = object.color(x, y, z);
    if (!a.spray) return c;
    return [0, 1, 2].map((k) => 205 + 0.12 * (c[k] - 205)) as [number, number, number];
  };
  const remembered = rememberColors(paint, COLOR_CELL);
  return {
    scene: {
      mesh: all,
      gloss: (t) => (t >= first && !a.spray ? object.gloss : 0),
      color: (x, y, z, t) => {
        if (t < first) return t < starts[1] || z <= 0.01 ? plankColor(x) : [150, 146, 138];
        const p = transformPoint(objectFromWorld, x, y, z);
        return remembered(p[0], p[1], p[2]);
      },
    },
    // Whoever takes the object off leaves the scanner where it is.
    middle: (b.min[2] + b.max[2]) / 2,
    worldFromObject,
  };
}

/** A colour function that is asked once a cell. */
function rememberColors(
  color: (x: number, y: number, z: number) => [number, number, number],
  cell: number,
): (x: number, y: number, z: number) => [number, number, number] {
  const cells = new VoxelTable(1 << 15);
  const known: [number, number, number][] = [];
  const scale = 1 / cell;
  return (x, y, z) => {
    const i = Math.round(x * scale);
    const j = Math.round(y * scale);
    const k = Math.round(z * scale);
    const slot = cells.insert(i, j, k);
    if (slot === known.length) known.push(color(i * cell, j * cell, k * cell));
    return known[slot];
  };
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
