import { Matrix, solve } from 'ml-matrix';
import { createRandom } from './random.js';
import { SparseLeastSquares } from './sparse-least-squares.js';

test('sparse rows give what a dense solver gives (ml-matrix)', () => {
  const random = createRandom(5);
  const n = 60;
  const own = new SparseLeastSquares(n, 2);
  const rows: number[][] = [];
  const targets: number[][] = [];
  for (let r = 0; r < 150; r++) {
    const at = r < n ? [r] : [0, 1, 2].map(() => Math.floor(n * random()));
    const coefficients = at.map(() => 0.5 + random());
    const weight = 0.2 + random();
    const target = [random(), random()];
    own.add(at, coefficients, weight, target);
    const dense = new Array<number>(n).fill(0);
    at.forEach((i, k) => (dense[i] += coefficients[k] * Math.sqrt(weight)));
    rows.push(dense);
    targets.push(target.map((t) => t * Math.sqrt(weight)));
  }
  const expected = solve(new Matrix(rows), new Matrix(targets), true);
  const x = own.solve()!;
  for (let i = 0; i < n; i++) for (let s = 0; s < 2; s++) expect(x[s * n + i]).toBeCloseTo(expected.get(i, s), 8);
});

test('unknowns that no row settles are said', () => {
  const own = new SparseLeastSquares(2, 1);
  own.add([0, 1], [1, -1], 1, [0]);
  expect(own.solve()).toBeUndefined();
});
