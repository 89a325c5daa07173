import { BoxGeometry, CylinderGeometry, LatheGeometry, Vector2, type BufferGeometry } from 'three';
import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { fromAxisAngle, transformPoints, type Vec3 } from '../math/mat4.js';
import { weldVertices } from '../mesh/weld-vertices.js';
import { againstNominal, MeasuringGround, type Dimension, type MeasuredDimension } from './index.js';

function meshOf(geometry: BufferGeometry, upright = false): TriangleMesh {
  const positions = Float32Array.from(geometry.getAttribute('position').array, (v) => Math.round(v * 1e5) / 1e5);
  const mesh = weldVertices({ positions, indices: Uint32Array.from(geometry.getIndex()!.array) });
  return upright
    ? { ...mesh, positions: transformPoints(fromAxisAngle([1, 0, 0], Math.PI / 2), mesh.positions) }
    : mesh;
}

const box = meshOf(new BoxGeometry(60, 40, 20, 30, 20, 10));
const asked = (kind: Dimension['kind'], places: Vec3[], more: Partial<Dimension> = {}): Dimension => ({
  name: 'a',
  note: '',
  kind,
  places,
  ...more,
});
const on = (mesh: TriangleMesh, d: Dimension): MeasuredDimension => new MeasuringGround(mesh).measure(d);
const valuesOf = (m: MeasuredDimension): Record<string, number> =>
  Object.fromEntries(m.values.map(({ label, value }) => [label, Number(value.toFixed(4))]));

// A box of 60 × 40 × 20 mm: all that follows is read off it.
test('each kind of dimension on a box', () => {
  expect(
    valuesOf(
      on(
        box,
        asked('distance', [
          [-30, -20, 10],
          [30, -20, 10],
        ]),
      ),
    ),
  ).toEqual({ Distance: 60 });
  expect(
    valuesOf(
      on(
        box,
        asked('along', [
          [-30, 0, 0],
          [-20, 0, 10],
        ]),
      ),
    ),
  ).toEqual({ 'Along the surface': 20, Straight: 14.1421 });
  expect(
    valuesOf(
      on(
        box,
        asked('angle', [
          [10, 0, 10],
          [0, 0, 10],
          [0, 12, 10],
        ]),
      ),
    ),
  ).toEqual({ Angle: 1.5708 });
  expect(valuesOf(on(box, asked('wall', [[3, 5, 10]])))).toEqual({ Wall: 20, 'Straight through': 20 });
  expect(valuesOf(on(box, asked('section', [[3, 5, 10]], { direction: [1, 0, 0] })))).toEqual({
    Area: 800,
    Outline: 120,
  });
  const faces = on(
    box,
    asked(
      'relation',
      [
        [0, 0, 10],
        [0, 0, -10],
      ],
      { shapes: ['plane', 'plane'] },
    ),
  );
  expect(valuesOf(faces)).toEqual({ Distance: 20, Angle: 0, Parallelism: 0 });
  expect(faces.shapes).toEqual(['plane', 'plane']);
  const face = valuesOf(on(box, asked('shape', [[3, 5, 10]], { shapes: ['plane'] })));
  expect(face).toEqual({ Flatness: 0, Area: 2400 });
  for (const found of [faces, on(box, asked('section', [[3, 5, 10]]))]) {
    expect(found.lines.length).toBeGreaterThan(0);
    for (const line of found.lines) expect(line.length % 3 === 0 && line.every(Number.isFinite)).toBe(true);
  }
});

test('a fitted cylinder tells its diameter with its uncertainty, and its length', () => {
  const tube = meshOf(new CylinderGeometry(15, 15, 50, 96, 50));
  const found = on(tube, asked('shape', [[15, 3, 0]], { shapes: ['any'] }));
  expect(found.shapes).toEqual(['cylinder']);
  const values = valuesOf(found);
  expect(values.Diameter).toBeCloseTo(30, 2);
  expect(values.Length).toBeCloseTo(50, 3);
  expect(found.values[0].uncertainty).toBeGreaterThanOrEqual(0);
});

test('a beaker holds what it has room for; a box holds nothing, and says so', () => {
  const profile = [
    [0, 0],
    [20, 0],
    [20, 50],
    [18, 50],
    [18, 3],
    [0, 3],
  ].map(([x, y]) => new Vector2(x, y));
  const beaker = meshOf(new LatheGeometry(profile, 256), true);
  const full = on(beaker, asked('holds', []));
  expect(full.values[0].value / (Math.PI * 18 ** 2 * 47)).toBeCloseTo(1, 3);
  expect(full.values[1].value).toBeCloseTo(50, 1);
  const half = on(beaker, asked('holds', [], { level: 30 }));
  expect(half.values[0].value / (Math.PI * 18 ** 2 * 27)).toBeCloseTo(1, 3);
  expect(on(box, asked('holds', [])).fault).toMatch(/Nothing is held/);
});

test('places follow the surface, and say how far; a place that is gone is told, not guessed', () => {
  const raised = { ...box, positions: box.positions.map((v, i) => (i % 3 === 2 ? v + 0.3 : v)) };
  const found = on(
    raised,
    asked('distance', [
      [0, 0, 10],
      [10, 0, 10],
    ]),
  );
  expect(found.moved).toBeCloseTo(0.3, 5);
  expect(found.places[0][2]).toBeCloseTo(10.3, 5);
  const gone = on(
    box,
    asked('distance', [
      [0, 0, 10],
      [200, 0, 10],
    ]),
  );
  expect(gone).toMatchObject({ values: [], fault: expect.stringMatching(/Pick it anew/) as string });
  expect(
    on(
      box,
      asked('angle', [
        [0, 0, 10],
        [0, 0, 10],
        [5, 0, 10],
      ]),
    ).fault,
  ).toMatch(/Pick three/);
});

test('what rests on invented places says so, and errors of places make the uncertainty of a length', () => {
  const n = vertexCount(box);
  const known: TriangleMesh = {
    ...box,
    invented: Uint8Array.from({ length: n }, (_, v) => Number(box.positions[3 * v] > 0)),
    expectedError: new Float32Array(n).fill(0.03),
  };
  const found = on(
    known,
    asked('distance', [
      [-30, -20, 10],
      [30, -20, 10],
    ]),
  );
  expect(found.inventedRatio).toBe(0.5);
  const seenFromAbove = {
    ...known,
    invented: Uint8Array.from({ length: n }, (_, v) => Number(box.positions[3 * v + 2] < 10)),
  };
  expect(on(seenFromAbove, asked('wall', [[-8, 5, 10]])).inventedRatio).toBe(0.5);
  expect(found.values[0].uncertainty).toBeCloseTo(0.03 * Math.SQRT2, 6);
});

test('a dimension without its places, and a surface without triangles, are refused', () => {
  expect(() => on(box, asked('angle', [[0, 0, 10]]))).toThrow(/1 places.*takes 3/);
  expect(() => new MeasuringGround({ positions: new Float32Array(0), indices: new Uint32Array(0) })).toThrow(
    /no triangles/,
  );
});

test('against what it should be: how far off, and the scale that would set it right, with its uncertainty', () => {
  const n = vertexCount(box);
  const known: TriangleMesh = { ...box, expectedError: new Float32Array(n).fill(0.03) };
  const width = asked(
    'distance',
    [
      [-30, -20, 10],
      [30, -20, 10],
    ],
    { nominal: 60.3 },
  );
  const off = againstNominal(width, on(known, width))!;
  expect(off.difference).toBeCloseTo(-0.3, 5);
  expect(off.scale).toBeCloseTo(60.3 / 60, 8);
  expect(off.scaleUncertainty).toBeCloseTo((60.3 / 60) * ((0.03 * Math.SQRT2) / 60), 8);
  const area = asked('section', [[3, 5, 10]], { nominal: 2390 });
  expect(againstNominal(area, on(box, area))).toEqual({ difference: expect.closeTo(10, 3) as number });
  const bare = asked('distance', [
    [-30, -20, 10],
    [30, -20, 10],
  ]);
  expect(againstNominal(bare, on(box, bare))).toBeUndefined();
});

test('a note is pinned to the surface and knows its coordinates', () => {
  const pinned = on(box, asked('note', [[12, 5, 10.4]], { note: 'Chip' }));
  expect(valuesOf(pinned)).toEqual({ X: 12, Y: 5, Z: 10 });
  expect([pinned.label, pinned.moved.toFixed(3)]).toEqual([[12, 5, 10], '0.400']);
});

test('the way outwards is known at every place', () => {
  const ground = new MeasuringGround(box);
  expect(ground.outwards([12, 5, 10.2])).toEqual([0, 0, 1]);
  expect(ground.outwards([-30, 3, 2])).toEqual([-1, 0, 0]);
});
