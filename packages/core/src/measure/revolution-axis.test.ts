import {
  BoxGeometry,
  LatheGeometry,
  PlaneGeometry,
  SphereGeometry,
  TorusGeometry,
  Vector2,
  type BufferGeometry,
} from 'three';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import {
  cross3,
  dot3,
  fromAxisAngle,
  fromTranslation,
  multiply,
  rotateVector,
  transformPoint,
  transformPoints,
  type Vec3,
} from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { revolutionAxis, type RevolutionAxis } from './index.js';

const motion = multiply(
  fromTranslation(40, -90, 25),
  multiply(fromAxisAngle([0.2, 0.9, -0.4], 1.3), fromAxisAngle([1, 0, 0], 0.5)),
);

/** Parts together, moved away and turned, with noise along each axis. */
function moved(parts: BufferGeometry[], noise = 0): TriangleMesh {
  const random = createRandom(2);
  const positions: number[] = [];
  const indices: number[] = [];
  for (const g of parts) {
    const first = positions.length / 3;
    for (const v of g.getAttribute('position').array) positions.push(v + noise * gaussian(random));
    for (const i of g.getIndex()!.array) indices.push(first + i);
  }
  return { positions: transformPoints(motion, Float32Array.from(positions)), indices: Uint32Array.from(indices) };
}
/** A vase whose axis is Y, 100 high. */
const vase = new LatheGeometry(
  Array.from({ length: 60 }, (_, k) => new Vector2(25 + 9 * Math.sin(k / 9) + (k / 60) * 6, (100 * k) / 59)),
  120,
);
const handle = new TorusGeometry(18, 4, 24, 60).translate(45, 55, 0);

/** Degrees between the axis and Y as it lies now, and how far it passes the vase's own, mm. */
function errors({ at, direction }: RevolutionAxis): { degrees: number; mm: number } {
  const y = rotateVector(motion, 0, 1, 0);
  const foot = transformPoint(motion, 0, 0, 0);
  const across = cross3(at.map((c, k) => c - foot[k]) as Vec3, y);
  return { degrees: (Math.acos(Math.min(1, Math.abs(dot3(direction, y)))) * 180) / Math.PI, mm: Math.hypot(...across) };
}

test.each([
  ['a vase', [vase], 0, 0.01, 0.01],
  ['a vase with a handle', [vase, handle], 0, 0.02, 0.02],
  ['a rough one with a handle', [vase, handle], 0.05, 0.2, 0.15],
] as const)('%s has its axis where it was turned', (_name, parts, noise, degrees, mm) => {
  const found = revolutionAxis(moved([...parts], noise))!;
  const off = errors(found);
  expect(off.degrees).toBeLessThan(degrees);
  expect(off.mm).toBeLessThan(mm);
  expect(found.share).toBeGreaterThan(0.75);
});

test('a ring has the axis across it', () => {
  const found = revolutionAxis(moved([new TorusGeometry(30, 8, 32, 90).rotateX(Math.PI / 2)]))!;
  expect(errors(found).degrees).toBeLessThan(0.01);
});

test('a box, a ball, a sheet and nothing have none', () => {
  expect(revolutionAxis(moved([new BoxGeometry(60, 40, 20, 30, 20, 10)]))).toBeUndefined();
  expect(revolutionAxis(moved([new SphereGeometry(20, 60, 40)]))).toBeUndefined();
  expect(revolutionAxis(moved([new PlaneGeometry(60, 40, 40, 40)]))).toBeUndefined();
  expect(revolutionAxis({ positions: new Float32Array(0), indices: new Uint32Array(0) })).toBeUndefined();
});
