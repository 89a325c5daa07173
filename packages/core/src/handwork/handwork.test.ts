import { PerspectiveCamera } from 'three';
import { box, cutOut, meshOf, sphere, torus } from '../../test/shapes.js';
import {
  boundsOf,
  compactMesh,
  triangleCount,
  vertexCount,
  vertexNormals,
  type TriangleMesh,
} from '../geometry/index.js';
import { createRandom, gaussian } from '../math/index.js';
import { enclosedVolume, surfaceArea } from '../measure/index.js';
import { findCrossings, inspectTopology, labelPieces } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { faultOfHandEdits, HandSession, type Dab, type HandEdit } from './index.js';

const ctx = createRunContext();
const done = (mesh: TriangleMesh, ...edits: HandEdit[]): TriangleMesh => {
  const session = new HandSession(mesh);
  for (const edit of edits) session.do(edit, ctx);
  return session.finish().mesh;
};
/** Dabs over a whole cap of a ball about +Z. */
const over = (radius: number, size: number, spread: number): Dab[] => {
  const out: Dab[] = [];
  for (let a = -spread; a <= spread; a += size / 3)
    for (let b = -spread; b <= spread; b += size / 3)
      if (Math.hypot(a, b) < spread) out.push([a, b, Math.sqrt(radius ** 2 - a * a - b * b), size, 1]);
  return out;
};
function roughened(mesh: TriangleMesh, noise: number, seed: number): TriangleMesh {
  const random = createRandom(seed);
  const n = vertexNormals(mesh);
  const positions = mesh.positions.slice();
  for (let v = 0; v < positions.length; v += 3) {
    const d = noise * gaussian(random);
    for (let k = 0; k < 3; k++) positions[v + k] += d * n[v + k];
  }
  return { ...mesh, positions };
}
/** Root mean square distance of vertices above a height from a field, mm. */
function rmsTo(f: (x: number, y: number, z: number) => number, { positions: p }: TriangleMesh, above: number): number {
  let sum = 0;
  let count = 0;
  for (let v = 0; v < p.length; v += 3) {
    if (p[v + 2] < above) continue;
    sum += f(p[v], p[v + 1], p[v + 2]) ** 2;
    count++;
  }
  return Math.sqrt(sum / count);
}

const ball = meshOf(sphere(20), 20, 1);

test('smoothing takes noise from a ball and does not make it smaller', () => {
  const rough = roughened(ball, 0.1, 3);
  const smooth = done(rough, { kind: 'smooth', dabs: over(20, 4, 12), amount: 1 });
  const before = rmsTo(sphere(20), rough, 18);
  const after = rmsTo(sphere(20), smooth, 18);
  expect(before).toBeGreaterThan(0.08);
  expect(after).toBeLessThan(0.35 * before);
  let mean = 0;
  let count = 0;
  for (let v = 0; v < smooth.positions.length; v += 3) {
    if (smooth.positions[v + 2] < 18) continue;
    mean += sphere(20)(smooth.positions[v], smooth.positions[v + 1], smooth.positions[v + 2]);
    count++;
  }
  expect(Math.abs(mean / count)).toBeLessThan(0.02);
});

test('with edges kept, smoothing along the edge of a cube leaves the edge', () => {
  const cube = meshOf(box(30, 30, 30), 15, 1);
  // Just on the faces: marching cubes bevel the edge itself by less than a voxel.
  const along = Array.from({ length: 15 }, (_, i): Dab => [14 - 1.4, -7 + i, 15, 4, 1]);
  const edgeOff = (m: TriangleMesh): number => {
    let most = 0;
    const p = m.positions;
    for (let v = 0; v < p.length; v += 3)
      if (Math.abs(p[v + 1]) < 6 && p[v] > 13 && p[v + 2] > 13)
        most = Math.max(most, Math.abs(box(30, 30, 30)(p[v], p[v + 1], p[v + 2])));
    return most;
  };
  const before = edgeOff(cube);
  const kept = edgeOff(done(cube, { kind: 'smooth', dabs: along, amount: 1, keepEdges: true }));
  const worn = edgeOff(done(cube, { kind: 'smooth', dabs: along, amount: 1 }));
  expect(kept).toBeLessThan(before + 0.1);
  expect(worn).toBeGreaterThan(kept + 0.1);
});

test('within the error, measured vertices stay near, and what goes further is no longer measured', () => {
  const n = vertexCount(ball);
  const known: TriangleMesh = {
    ...roughened(ball, 0.1, 5),
    invented: new Uint8Array(n),
    scanCount: new Uint8Array(n).fill(3),
    expectedError: new Float32Array(n).fill(0.02),
  };
  const dabs = over(20, 4, 10);
  const held = done(known, { kind: 'smooth', dabs, amount: 1, withinError: true });
  const moved = held.positions.map((p, i) => p - known.positions[i]);
  let most = 0;
  for (let v = 0; v < moved.length; v += 3) most = Math.max(most, Math.hypot(moved[v], moved[v + 1], moved[v + 2]));
  expect(most).toBeGreaterThan(0.03);
  expect(most).toBeLessThanOrEqual(0.0401);
  expect(held.invented!.some((i) => i > 0)).toBe(false);
  const free = done(known, { kind: 'smooth', dabs, amount: 1 });
  expect(free.invented!.some((i) => i > 0)).toBe(true);
  free.invented!.forEach((invented, v) => {
    const off = Math.hypot(...[0, 1, 2].map((k) => free.positions[3 * v + k] - known.positions[3 * v + k]));
    if (Math.abs(off - 0.06) > 1e-4) expect(invented).toBe(off > 0.06 ? 1 : 0);
    if (invented) expect([free.scanCount![v], free.expectedError![v]]).toEqual([0, NaN]);
  });
});

test('pushing lifts the middle of the brush by as much as asked, however many dabs cover it', () => {
  const dab: Dab = [0, 0, 20, 6, 1];
  const up = done(ball, { kind: 'push', dabs: [dab, dab, [0.5, 0, 20, 6, 1]], amount: 2 });
  expect(boundsOf(up.positions).max[2]).toBeCloseTo(22, 1);
  const half = done(ball, { kind: 'push', dabs: [[0, 0, 20, 6, 0.5]], amount: -2 });
  let least = Infinity;
  for (let v = 0; v < half.positions.length; v += 3)
    if (Math.hypot(half.positions[v], half.positions[v + 1]) < 0.6 && half.positions[v + 2] > 0)
      least = Math.min(least, half.positions[v + 2]);
  expect(least).toBeCloseTo(19, 1);
});

test('a brush reaches one side of a thin wall', () => {
  const sheet = meshOf(box(40, 40, 1), 20, 0.5);
  const pushed = done(sheet, { kind: 'push', dabs: [[0, 0, 0.5, 8, 1]], amount: 3 });
  const below = (m: TriangleMesh): number => boundsOf(m.positions).min[2];
  expect(below(pushed)).toBeCloseTo(below(sheet), 6);
  expect(boundsOf(pushed.positions).max[2]).toBeCloseTo(3.5, 1);
});

test('flattening goes towards the plane of the first dab', () => {
  const flat = done(ball, { kind: 'flatten', dabs: Array<Dab>(12).fill([0, 0, 20, 6, 1]), amount: 1 });
  const near: number[] = [];
  for (let v = 0; v < flat.positions.length; v += 3)
    if (flat.positions[v + 2] > 0 && Math.hypot(flat.positions[v], flat.positions[v + 1]) < 3)
      near.push(flat.positions[v + 2]);
  // A cap of 3 mm about the pole of a ball of 20 mm is 0.23 mm high.
  expect(Math.max(...near) - Math.min(...near)).toBeLessThan(0.03);
});

describe('taking out', () => {
  // A ball with a peg on top: what has to go.
  const pegged = meshOf((x, y, z) => Math.min(sphere(20)(x, y, z), box(4, 4, 50)(x, y, z)), 26, 0.8);
  const dabs: Dab[] = [0, 2, 4, 6].map((h): Dab => [0, 0, 18 + h, 6, 1]);

  test('erasing leaves a rim, refilling goes on over the place as the ball does', () => {
    const erased = done(pegged, { kind: 'erase', dabs: [...dabs, [2, 0, 24, 4, 1], [0, 2, 22, 5, 1]] });
    expect(inspectTopology(erased).holes).toBe(1);
    expect(labelPieces(erased).sizes).toHaveLength(1);
    const refilled = done(pegged, { kind: 'refill', dabs: [...dabs, [2, 0, 24, 4, 1], [0, 2, 22, 5, 1]] });
    expect(inspectTopology(refilled)).toMatchObject({ watertight: true, euler: 2 });
    expect(findCrossings(refilled)).toHaveLength(0);
    const p = refilled.positions;
    let worst = 0;
    refilled.invented!.forEach((invented, v) => {
      if (invented) worst = Math.max(worst, Math.abs(sphere(20)(p[3 * v], p[3 * v + 1], p[3 * v + 2])));
    });
    expect(refilled.invented!.some((i) => i > 0)).toBe(true);
    expect(worst).toBeLessThan(0.5);
    expect(boundsOf(p).min[2]).toBeCloseTo(-25, 0);
  });

  test('a place that runs into a rim is taken out and stays open', () => {
    const open = cutOut(ball, (_x, _y, z) => z < -5);
    const session = new HandSession(open);
    session.do({ kind: 'refill', dabs: [[19, 0, -5, 4, 1]] }, ctx);
    const { mesh, totals } = session.finish();
    expect(totals).toMatchObject({ filled: 0, leftOpen: 1 });
    expect(inspectTopology(mesh).holes).toBe(1);
    expect(triangleCount(mesh)).toBeLessThan(triangleCount(open));
  });

  /** A picture from 200 mm above, 400 × 400 pixels, 10 pixels a millimetre at the pole, by three's camera. */
  const fromAbove = (): { clipFromView: number[]; size: [number, number]; eye: [number, number, number] } => {
    const camera = new PerspectiveCamera((2 * Math.atan(20 / 180) * 180) / Math.PI, 1, 1, 1000);
    camera.position.set(0, 0, 200);
    camera.lookAt(0, 0, 0);
    camera.updateMatrixWorld();
    const clip = camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse);
    return { clipFromView: clip.elements.slice(), size: [400, 400], eye: [0, 0, 200] };
  };
  const square = [150, 150, 250, 150, 250, 250, 150, 250];

  test('what is drawn round goes: in front alone, or through the object; and is filled again', () => {
    const lasso = (through: boolean, refill: boolean): TriangleMesh =>
      done(ball, { kind: 'lasso', outline: square, ...fromAbove(), through, refill });
    const front = lasso(false, false);
    expect(inspectTopology(front).holes).toBe(1);
    expect(boundsOf(front.positions).min[2]).toBeCloseTo(-20, 1);
    const through = lasso(true, false);
    expect(inspectTopology(through)).toMatchObject({ holes: 2, pieces: 1 });
    const again = lasso(true, true);
    expect(inspectTopology(again)).toMatchObject({ watertight: true, euler: 2 });
    expect(rmsTo(sphere(20), again, -30)).toBeLessThan(0.1);
    // Five millimetres to each side of the pole went, and no more than an edge beyond.
    const p = compactMesh(front).positions;
    let nearest = Infinity;
    for (let v = 0; v < p.length; v += 3)
      if (p[v + 2] > 0) nearest = Math.min(nearest, Math.max(Math.abs(p[v]), Math.abs(p[v + 1])));
    expect(nearest).toBeGreaterThan(4.9);
    expect(nearest).toBeLessThan(6.5);
    expect(() =>
      done(ball, { kind: 'lasso', outline: [0, 0, 9, 0, 9, 9], ...fromAbove(), through: true, refill: false }),
    ).toThrow('No surface lies inside the outline');
  });

  test('beside the surface, or all of it, is refused and changes nothing', () => {
    const session = new HandSession(ball);
    const before = session.mesh;
    expect(() => session.do({ kind: 'erase', dabs: [[100, 0, 0, 5, 1]] }, ctx)).toThrow('no surface under the brush');
    expect(() =>
      session.do(
        {
          kind: 'erase',
          dabs: [
            [0, 0, 20, 90, 1],
            [0, 0, -20, 90, 1],
          ],
        },
        ctx,
      ),
    ).toThrow('left');
    expect(session.mesh).toBe(before);
    expect(session.edits).toEqual([]);
  });
});

describe('bridges', () => {
  test('a bridge over a wide hole makes two of it, with the marks of what was invented', () => {
    const open = cutOut(ball, (_x, _y, z) => z > 15);
    const r = Math.sqrt(400 - 225);
    const bridged = done(open, { kind: 'bridge', from: [r, 0, 15], to: [-r, 0, 15], width: 3 });
    expect(inspectTopology(bridged)).toMatchObject({ holes: 2, nonManifoldEdges: 0, nonManifoldVertices: 0 });
    expect(findCrossings(bridged)).toHaveLength(0);
    // It leaves both ends the way the ball goes, so it rises over the hole.
    expect(boundsOf(bridged.positions).max[2]).toBeGreaterThan(18);
    expect(bridged.invented!.filter((i) => i > 0).length).toBe(vertexCount(bridged) - vertexCount(compactMesh(open)));
    const closed = done(
      open,
      { kind: 'bridge', from: [r, 0, 15], to: [-r, 0, 15], width: 3 },
      { kind: 'fill', at: [0, r, 15], shape: 'smooth' },
      { kind: 'fill', at: [0, -r, 15], shape: 'smooth' },
    );
    expect(inspectTopology(closed).watertight).toBe(true);
    expect(enclosedVolume(closed)).toBeGreaterThan(0.97 * enclosedVolume(ball));
  });

  test('an island gets a hold and is filled in', () => {
    const island = cutOut(ball, (x, y, z) => z > 0 && Math.hypot(x, y) > 4 && Math.hypot(x, y) < 11);
    expect(labelPieces(island).sizes).toHaveLength(2);
    const joined = done(
      island,
      { kind: 'bridge', from: [11, 0, 16.7], to: [4, 0, 19.6], width: 2 },
      { kind: 'fill', at: [-7, 0, 18.7], shape: 'smooth' },
    );
    expect(labelPieces(joined).sizes).toHaveLength(1);
    expect(inspectTopology(joined)).toMatchObject({ watertight: true, euler: 2 });
    const p = joined.positions;
    let worst = 0;
    for (let v = 0; v < p.length; v += 3) worst = Math.max(worst, Math.abs(sphere(20)(p[v], p[v + 1], p[v + 2])));
    expect(worst).toBeLessThan(0.3);
  });

  test('without rims, or with both ends at one place, it says so', () => {
    expect(() => done(ball, { kind: 'bridge', from: [0, 0, 20], to: [5, 0, 19], width: 1 })).toThrow('no rim');
    const open = cutOut(ball, (_x, _y, z) => z > 15);
    const same: HandEdit = { kind: 'bridge', from: [13, 0, 15], to: [13, 0.2, 15], width: 1 };
    expect(() => done(open, same)).toThrow('same place');
  });
});

describe('cutting', () => {
  test('a ball cut in half and capped has half its volume and the area of the face', () => {
    const half = done(ball, { kind: 'cut', at: [0, 0, 0.3], normal: [0, 0, 2], cap: true });
    expect(inspectTopology(half)).toMatchObject({ watertight: true, euler: 2 });
    expect(findCrossings(half)).toHaveLength(0);
    // A spherical cap of height h: π h² (3 r − h) / 3.
    const h = 19.7;
    expect(enclosedVolume(half) / ((Math.PI * h * h * (60 - h)) / 3)).toBeCloseTo(1, 2);
    expect(half.invented!.some((i) => i > 0)).toBe(true);
    expect(boundsOf(half.positions).min[2]).toBeCloseTo(0.3, 4);
  });

  test('a ring cut across is capped around its hollow, against the solid modeller', async () => {
    const ring = meshOf(torus(20, 6), 26, 1);
    const cut = done(ring, { kind: 'cut', at: [0, 0, 0.31], normal: [0, 0, 1], cap: true });
    expect(inspectTopology(cut)).toMatchObject({ watertight: true, euler: 0, pieces: 1 });
    const sloped = done(ring, { kind: 'cut', at: [1, 2, 0], normal: [1, 0.2, 0.3], cap: true });
    expect(inspectTopology(sloped).watertight).toBe(true);
    const { default: load } = await import('manifold-3d');
    const solids = await load();
    solids.setup();
    const n = Math.hypot(1, 0.2, 0.3);
    const solid = new solids.Manifold(
      new solids.Mesh({ numProp: 3, vertProperties: ring.positions, triVerts: ring.indices }),
    );
    const [kept] = solid.splitByPlane([1 / n, 0.2 / n, 0.3 / n], 1.4 / n);
    expect(enclosedVolume(sloped) / kept.volume()).toBeCloseTo(1, 4);
    expect(surfaceArea(sloped) / kept.surfaceArea()).toBeCloseTo(1, 4);
  });

  test('a cut that leaves as many triangles as there were is a cut', () => {
    // A tip of three triangles loses its point: three quadrangles of two triangles each. A second tip goes as a whole.
    const tip = (x: number): number[] => [x, 0, 10, x + 6, 0, 0, x - 3, 5, 0, x - 3, -5, 0];
    const sides = (at: number): number[] => [at, at + 1, at + 2, at, at + 2, at + 3, at, at + 3, at + 1];
    const raised: TriangleMesh = {
      positions: Float32Array.from([...tip(0), ...tip(40).map((c, i) => (i % 3 === 2 ? c + 30 : c))]),
      indices: Uint32Array.from([...sides(0), ...sides(4)]),
    };
    // Three sides cut into six, three gone: six as before.
    expect(triangleCount(done(raised, { kind: 'cut', at: [0, 0, 5], normal: [0, 0, -1], cap: false }))).toBe(6);
  });

  test('without a cap it stays open; a plane beside the surface is refused', () => {
    const open = done(ball, { kind: 'cut', at: [0, 0, 0], normal: [0, 0, 1], cap: false });
    expect(inspectTopology(open).holes).toBe(1);
    expect(() => done(ball, { kind: 'cut', at: [0, 0, 50], normal: [0, 0, 1], cap: true })).toThrow(
      'Turn the cut round',
    );
    expect(() => done(ball, { kind: 'cut', at: [0, 0, -50], normal: [0, 0, 1], cap: true })).toThrow('misses');
  });
});

test('every edit can be taken back and done again, and all at once gives the same', () => {
  const open = cutOut(roughened(ball, 0.05, 7), (_x, _y, z) => z > 16);
  const session = new HandSession(open);
  const places = [session.mesh.positions.slice()];
  const list: HandEdit[] = [
    {
      kind: 'smooth',
      dabs: [
        [0, -20, 0, 5, 1],
        [1, -20, 0, 5, 0.7],
      ],
      amount: 0.8,
    },
    { kind: 'bridge', from: [12, 0, 16], to: [-12, 0, 16], width: 2 },
    { kind: 'push', dabs: [[20, 0, 0, 5, 1]], amount: 1 },
    { kind: 'refill', dabs: [[0, 0, -20, 4, 1]] },
    { kind: 'fill', at: [0, 12, 16], shape: 'flat' },
    { kind: 'fill', at: [0, -12, 16], shape: 'flat' },
  ];
  for (const edit of list) {
    session.do(edit, ctx);
    places.push(session.mesh.positions.slice());
  }
  for (let i = list.length; i > 0; i--) {
    expect(session.mesh.positions).toEqual(places[i]);
    session.undo(ctx);
  }
  expect(session.mesh.positions).toEqual(places[0]);
  expect(session.undo(ctx)).toBeUndefined();
  while (session.canRedo) session.redo(ctx);
  expect(session.edits).toEqual(list);
  expect(session.mesh.positions).toEqual(places[list.length]);
  expect(done(open, ...list)).toEqual(session.finish().mesh);
  // What was given has not changed.
  expect(open.positions).toEqual(cutOut(roughened(ball, 0.05, 7), (_x, _y, z) => z > 16).positions);
});

test('a stroke drawn dab by dab is the same as the whole edit; more states than are kept are worked out again', () => {
  const dabs = over(20, 3, 4);
  const drawn = new HandSession(ball);
  drawn.begin({ kind: 'smooth', amount: 0.5 });
  for (const dab of dabs) drawn.dab(dab);
  expect(drawn.end()).toBe(true);
  expect(drawn.finish().mesh).toEqual(done(ball, { kind: 'smooth', amount: 0.5, dabs }));
  drawn.begin({ kind: 'smooth', amount: 0.5 });
  expect(drawn.end()).toBe(false);

  const many = new HandSession(meshOf(sphere(10), 10, 1));
  const first = many.mesh.positions.slice();
  for (let i = 0; i < 11; i++) {
    const a = (i * 2 * Math.PI) / 11;
    many.do({ kind: 'refill', dabs: [[10 * Math.cos(a), 10 * Math.sin(a), 0, 1.5, 1]] }, ctx);
  }
  for (let i = 0; i < 11; i++) many.undo(ctx);
  expect(many.mesh.positions).toEqual(first);
});

test('lists of edits from elsewhere are looked through', () => {
  const fine: HandEdit[] = [
    { kind: 'push', dabs: [[0, 0, 0, 1, 1]], amount: -3 },
    { kind: 'cut', at: [0, 0, 0], normal: [0, 0, 1], cap: true },
  ];
  expect(faultOfHandEdits(fine)).toBeUndefined();
  expect(faultOfHandEdits('all')).toMatch('list');
  expect(faultOfHandEdits([{ kind: 'melt' }])).toMatch('edit 1 must be one of smooth');
  expect(faultOfHandEdits([null])).toMatch('edit 1');
  expect(faultOfHandEdits([fine[0], { ...fine[1], normal: [0, 0, 0] }])).toMatch('edit 2 (cut) has no lawful normal');
  expect(faultOfHandEdits([{ ...fine[0], dabs: [[0, 0, NaN, 1, 1]] }])).toMatch('lawful dabs');
  expect(faultOfHandEdits([{ ...fine[0], dabs: [[0, 0, 0, -1, 1]] }])).toMatch('lawful dabs');
  expect(faultOfHandEdits([{ ...fine[0], strength: 3 }])).toMatch('unknown strength');
  const lasso = {
    kind: 'lasso',
    outline: [0, 0, 9, 0, 9, 9],
    clipFromView: Array<number>(16).fill(0),
    size: [9, 9],
    eye: [0, 0, 9],
    through: true,
    refill: true,
  };
  expect(faultOfHandEdits([lasso])).toBeUndefined();
  expect(faultOfHandEdits([{ ...lasso, outline: [0, 0, 9, 0, 9] }])).toMatch('no lawful outline');
  expect(faultOfHandEdits([{ ...lasso, clipFromView: [1] }])).toMatch('no lawful clipFromView');
  expect(faultOfHandEdits([{ ...lasso, size: [0, 9] }])).toMatch('no lawful size');
});
