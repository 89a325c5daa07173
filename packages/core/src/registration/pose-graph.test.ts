import { fromTwist, identity, invertRigid, multiply, rotationAngle, type Mat4 } from '../math/index.js';
import { solvePoseGraph, type PoseLink } from './pose-graph.js';

const even = Float64Array.from({ length: 36 }, (_, i) => (i % 7 === 0 ? (i < 21 ? 1e4 : 1) : 0));
const link = (poses: Mat4[], a: number, b: number, off: Mat4 = identity(), information = even): PoseLink => ({
  a,
  b,
  aFromB: multiply(multiply(invertRigid(poses[a]), poses[b]), off),
  information,
});

/** Twelve poses round a circle of 300 mm that look at its middle. */
const ring = Array.from({ length: 12 }, (_, k) =>
  multiply(fromTwist(0, 0, (2 * Math.PI * k) / 12, 0, 0, 0), fromTwist(0.3, 0, 0, 300, 0, 40)),
);
const far = (a: Mat4, b: Mat4): number => Math.hypot(a[12] - b[12], a[13] - b[13], a[14] - b[14]);

test('exact links bring strayed poses back, the fixed one does not move', () => {
  const links = ring.map((_, k) => link(ring, k, (k + 1) % 12));
  const strayed = ring.map((p, k) => (k === 3 ? p : multiply(p, fromTwist(0.01 * k, -0.008, 0.02, k, -2, 3))));
  const solved = solvePoseGraph(strayed, links, 3, { scale: Infinity });
  expect(solved[3]).toBe(strayed[3]);
  solved.forEach((p, k) => {
    expect(far(p, ring[k])).toBeLessThan(1e-3);
    expect(rotationAngle(multiply(invertRigid(p), ring[k]))).toBeLessThan(1e-5);
  });
});

test('the error of a ring that does not close is spread evenly over its links', () => {
  // Each link along the way turns 0.5° too little; the one that closes the ring, as good as each of them, knows better.
  const short = fromTwist(0, 0, (-0.5 * Math.PI) / 180, 0, 0, 0);
  const onAxis = ring.map((_, k) => fromTwist(0, 0, (2 * Math.PI * k) / 12, 0, 0, 0));
  const links = onAxis.map((_, k) => link(onAxis, k, (k + 1) % 12, k < 11 ? short : identity()));
  const turned: Mat4[] = [identity()];
  for (let k = 1; k < 12; k++) turned.push(multiply(turned[k - 1], links[k - 1].aFromB));
  const solved = solvePoseGraph(turned, links, 0, { scale: Infinity });
  // By symmetry each of the twelve links takes a twelfth of the 5.5° (least squares of equal weights).
  for (let k = 1; k < 12; k++) {
    const step = multiply(invertRigid(solved[k - 1]), solved[k]);
    expect((rotationAngle(step) * 180) / Math.PI).toBeCloseTo(30 - 0.5 + 5.5 / 12, 2);
  }
});

test('a wrong link is outvoted, poses without links stay', () => {
  const links = ring.map((_, k) => link(ring, k, (k + 1) % 12));
  for (let k = 0; k < 12; k++) links.push(link(ring, k, (k + 2) % 12));
  links.push(link(ring, 0, 6, fromTwist(0, 0.2, 0, 30, -20, 10)));
  const alone = fromTwist(0.1, 0, 0, 5, 6, 7);
  const solved = solvePoseGraph([...ring, alone], links, 0);
  ring.forEach((p, k) => expect(far(solved[k], p)).toBeLessThan(0.05));
  expect(far(solved[12], alone)).toBeLessThan(1e-6);
});
