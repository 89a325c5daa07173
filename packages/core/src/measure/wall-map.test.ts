import { BoxGeometry, SphereGeometry, type BufferGeometry } from 'three';
import type { TriangleMesh } from '../geometry/index.js';
import { weldVertices } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { wallMap } from './index.js';

const meshOf = (geometry: BufferGeometry): TriangleMesh =>
  weldVertices({
    positions: Float32Array.from(geometry.getAttribute('position').array),
    indices: Uint32Array.from(geometry.getIndex()!.array),
  });
const map = (mesh: TriangleMesh, least: number, method: 'ray' | 'ball' = 'ray') =>
  wallMap(mesh, least, method, createRunContext());

/** A ball of Ø 40 with a hollow of Ø 36 whose middle lies 1 mm higher: 1 mm of wall above, 3 mm below. */
function shell(): TriangleMesh {
  const outer = meshOf(new SphereGeometry(20, 128, 96).rotateX(Math.PI / 2));
  const inner = meshOf(new SphereGeometry(18, 128, 96).rotateX(Math.PI / 2).translate(0, 0, 1));
  const shift = outer.positions.length / 3;
  return {
    positions: Float32Array.from([...outer.positions, ...inner.positions]),
    indices: Uint32Array.from([...outer.indices, ...inner.indices.toReversed().map((v) => v + shift)]),
  };
}

test.each(['ray', 'ball'] as const)('a shell whose wall grows from 1 to 3 mm, by %s', (method) => {
  const mesh = shell();
  const { thickness, thinnest } = map(mesh, 2, method);
  for (let v = 0; v < 128 * 80; v++) {
    const z = mesh.positions[3 * v + 2];
    // From a place of the outer ball straight inwards to the inner one, in closed form.
    const cos = z / 20;
    const along = 20 - (cos + Math.sqrt(cos * cos - 1 + 18 * 18));
    // The ball says never more than the way straight through.
    if (method === 'ray') expect(Math.abs(thickness[v] - along)).toBeLessThan(0.02);
    else expect(thickness[v]).toBeLessThan(along + 0.02);
    expect(thickness[v]).toBeGreaterThan(along - 0.05);
  }
  expect(thinnest).toBeCloseTo(1, 1);
});

test('the share that is too thin, and where: the upper cap of the shell', () => {
  const mesh = shell();
  const { thinRatio, places } = map(mesh, 1.5);
  // The way inwards is below 1.5 mm where cos > (20 − 1.5)² … : half the height between 1 and 2 mm, by the closed form above.
  const at = (cos: number): number => 20 - (cos + Math.sqrt(cos * cos - 1 + 18 * 18));
  let cos = 1;
  while (at(cos) < 1.5) cos -= 1e-4;
  // A cap's share of a ball is half its height over the radius; the inner cap's is much the same.
  expect(thinRatio).toBeCloseTo((1 - cos) / 2, 1);
  expect(places.length).toBeLessThanOrEqual(2);
  expect(places[0].thickness).toBeCloseTo(1, 1);
  expect(places[0].place[2]).toBeGreaterThan(12);
});

test('a block has no thin wall at its edges; a plate is thin all over', () => {
  const block = map(meshOf(new BoxGeometry(60, 40, 20, 30, 20, 10)), 4);
  expect([block.thinRatio, block.places]).toEqual([0, []]);
  const plate = map(meshOf(new BoxGeometry(60, 40, 0.8, 30, 20, 1)), 1.2);
  expect(plate.thinRatio).toBeGreaterThan(0.85);
  expect(plate.thinnest).toBeCloseTo(0.8, 3);
  // Its two sides hang together along the edge.
  expect(plate.places).toHaveLength(1);
});

test('what the scans leave uncertain is told apart', () => {
  const plate = meshOf(new BoxGeometry(60, 40, 1, 30, 20, 1));
  const expectedError = new Float32Array(plate.positions.length / 3).fill(0.1);
  const { unsureRatio, places } = map({ ...plate, expectedError }, 1.2);
  expect(unsureRatio).toBeCloseTo(1, 2);
  expect(places[0].uncertainty).toBeCloseTo(0.1414, 3);
  // Only rims, where normals stand aslant, are near to that.
  expect(map({ ...plate, expectedError }, 1.4).unsureRatio).toBeLessThan(0.2);
  expect(map(plate, 1.2).places[0].uncertainty).toBeUndefined();
});

test('no wall without another side, and none is wanted below nothing', () => {
  const sheet = { positions: Float32Array.of(0, 0, 0, 9, 0, 0, 0, 9, 0), indices: Uint32Array.of(0, 1, 2) };
  const { thickness, thinRatio, thinnest } = map(sheet, 2);
  expect(Array.from(thickness)).toEqual([NaN, NaN, NaN]);
  expect([thinRatio, thinnest]).toEqual([0, NaN]);
  expect(() => map(sheet, 0)).toThrow(/more than 0 mm/);
});
