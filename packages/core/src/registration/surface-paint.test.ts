import type { PointCloud } from '../geometry/index.js';
import { createRandom, fromTranslation, identity, turnAbout, type Vec3 } from '../math/index.js';
import { PointGrid } from '../spatial/index.js';
import {
  compareEvidence,
  contradictions,
  evidenceScore,
  marksAreMeaningful,
  noEvidence,
  paintCorrelation,
  paintDecides,
  type Evidence,
} from './index.js';
import { comparePaint, surfacePaint } from './surface-paint.js';

type Color = (x: number, y: number) => [number, number, number];

/** A flat plate of points 1 mm apart, facing up, painted by a rule. */
function plate(color: Color): {
  fine: PointCloud;
  fineGrid: PointGrid;
  shuffle: Uint32Array;
} {
  const positions: number[] = [];
  const normals: number[] = [];
  const colors: number[] = [];
  for (let x = -20; x <= 20; x++) {
    for (let y = -20; y <= 20; y++) {
      positions.push(x, y, 0);
      normals.push(0, 0, 1);
      colors.push(...color(x, y));
    }
  }
  const fine = {
    positions: Float32Array.from(positions),
    normals: Float32Array.from(normals),
    colors: Uint8Array.from(colors),
  };
  return {
    fine,
    fineGrid: new PointGrid(fine.positions, 1.5),
    shuffle: Uint32Array.from({ length: positions.length / 3 }, (_, i) => i),
  };
}

const aside: Vec3[] = [[300, 0, 300]];
const above: Vec3[] = [[0, 0, 500]];
const spot: Color = (x, y) => (Math.hypot(x - 10, y) < 4 ? [190, 60, 40] : [80, 90, 80]);
const painted = (color: Color, from = aside) => {
  const p = plate(color);
  return { ...p, paint: surfacePaint(p.fine, p.fineGrid, 1, p.shuffle, from) };
};

test('a painted spot stands out; a bright one that faces the scanner may be its mirrored light', () => {
  const { paint, fine } = painted(spot);
  expect(paint!.marks.length).toBeGreaterThan(35);
  for (const i of paint!.marks)
    expect(Math.hypot(fine.positions[3 * i] - 10, fine.positions[3 * i + 1])).toBeLessThan(4);
  const glare: Color = (x, y) => (Math.hypot(x, y) < 4 ? [240, 240, 240] : [80, 90, 80]);
  expect(painted(glare, above).paint!.marks).toHaveLength(0);
  expect(painted(glare, aside).paint!.marks.length).toBeGreaterThan(35);
  const { fine: bare, fineGrid, shuffle } = plate(spot);
  expect(
    surfacePaint({ positions: bare.positions, normals: bare.normals }, fineGrid, 1, shuffle, aside),
  ).toBeUndefined();
});

test('marks find their like where the placement is right, and clash where it is turned', () => {
  const a = painted(spot);
  const right = { painted: 0, clashing: 0 };
  comparePaint(a, a, identity(), 0.3, 2, 400, right);
  expect(right.painted).toBe(a.paint!.marks.length);
  expect(right.clashing).toBe(0);
  const wrong = { painted: 0, clashing: 0 };
  comparePaint(a, a, turnAbout({ point: [0, 0, 0], direction: [0, 0, 1] }, Math.PI), 0.3, 2, 400, wrong);
  expect(wrong.clashing).toBe(wrong.painted);
  const beside = { painted: 0, clashing: 0 };
  comparePaint(a, a, fromTranslation(0, 0, 5), 0.3, 2, 400, beside);
  expect(beside.painted).toBe(0);
});

test('what the light at the sensor makes of the shape is no grain', () => {
  // An evenly painted plate with ripples: each point is as bright as it faces the light, and a little noise.
  const { fine, fineGrid, shuffle } = plate(() => [0, 0, 0]);
  const [{ positions: p, normals: n, colors }, random] = [fine, createRandom(5)];
  for (let i = 0; i < p.length; i += 3) {
    const slope = 0.5 * Math.sin(1.3 * p[i]) * Math.sin(0.9 * p[i + 1]);
    const length = Math.hypot(1, slope);
    n!.set([slope / length, 0, 1 / length], i);
    const lit = 160 * (n![i + 2] * Math.SQRT1_2 + n![i] * Math.SQRT1_2) + 2 * (random() - 0.5);
    colors!.fill(lit, i, i + 3);
  }
  const far: Vec3 = [30_000, 0, 30_000];
  const spread = (from: Vec3[]): number => {
    const { grain } = surfacePaint(fine, fineGrid, 1, shuffle, from)!;
    return Math.sqrt(grain.reduce((sum, v) => sum + v * v, 0) / grain.length);
  };
  // From several places the light is not known.
  expect(spread([far, far])).toBeGreaterThan(0.7);
  expect(spread([far])).toBeLessThan(0.6 * spread([far, far]));
});

test('the grain does not change with the light', () => {
  const random = createRandom(3);
  const noise = Array.from({ length: 41 * 41 }, () => 30 * (random() - 0.5));
  const worn = (light: number): Color => {
    let k = 0;
    return () => {
      const v = light * (100 + noise[k++ % noise.length]);
      return [v, v, v];
    };
  };
  const bright = painted(worn(1.3)).paint!.grain;
  const dim = painted(worn(0.8)).paint!.grain;
  let [aa, bb, ab] = [0, 0, 0];
  bright.forEach((v, i) => {
    aa += v * v;
    bb += dim[i] * dim[i];
    ab += v * dim[i];
  });
  expect(ab / Math.sqrt(aa * bb)).toBeGreaterThan(0.97);
});

describe('evidence of paint', () => {
  const grained = (correlation: number, grains: number, spots = grains / 16): Evidence => ({
    ...noEvidence(),
    matched: 1000,
    grains,
    grainSpots: spots,
    grainA: grains,
    grainB: grains,
    grainAB: correlation * grains,
  });

  test('a missing spot is as bad as a lot of surface, a few clashes are nothing', () => {
    const base = { ...noEvidence(), matched: 5000 };
    expect(contradictions({ ...base, painted: 100, clashing: 20 })).toBe(0);
    expect(evidenceScore({ ...base, painted: 100, clashing: 95 })).toBeLessThan(0.2 * 5000);
    // Hardly any marks: hardly any weight.
    expect(evidenceScore({ ...base, painted: 2, clashing: 2 })).toBeGreaterThan(0.85 * 5000);
  });

  test('few points are believed less', () => {
    expect(paintCorrelation(grained(0.5, 3000))).toBeGreaterThan(0.48);
    expect(paintCorrelation(grained(0.5, 60))).toBeCloseTo(0.25);
    expect(paintCorrelation(noEvidence())).toBe(0);
  });

  test('it decides only where it is clear', () => {
    expect(paintDecides(grained(0.5, 3000), grained(0, 3000))).toBe(1);
    expect(paintDecides(grained(0, 3000), grained(0.5, 3000))).toBe(-1);
    expect(paintDecides(grained(0.5, 100), grained(0, 100))).toBe(0);
    expect(paintDecides(grained(0.2, 90_000), grained(0, 90_000))).toBe(0);
    expect(paintDecides(grained(0.55, 90_000), grained(0.5, 90_000))).toBe(0);
    // What one sampled is sure by the spots that it hit, however often each.
    expect(paintDecides(grained(0.35, 3000, 20), grained(0, 3000, 20))).toBe(0);
    expect(paintDecides(grained(0.35, 3000, 1000), grained(0, 3000, 1000))).toBe(1);
  });

  test('where it does, it goes before overlap', () => {
    const more = { ...grained(0, 3000), matched: 2000 };
    expect(compareEvidence(grained(0.5, 3000), more)).toBeLessThan(0);
    expect(compareEvidence(grained(0.02, 3000), more)).toBeGreaterThan(0);
  });

  test('marks that clash everywhere are not believed', () => {
    const pair = (...shares: number[]): Evidence[] =>
      shares.map((s) => ({ ...noEvidence(), painted: 100, clashing: 100 * s }));
    expect(marksAreMeaningful([pair(0.9, 0.05), pair(0.95), pair(0.9)])).toBe(true);
    expect(marksAreMeaningful([pair(0.9, 0.6), pair(0.95), pair(0.9)])).toBe(false);
    expect(marksAreMeaningful([])).toBe(false);
  });
});
