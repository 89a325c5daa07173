import { BitSet, type PointCloud } from '@amber-knit/core/geometry';
import { identity } from '@amber-knit/core/math';
import {
  growSelection,
  insideOfPath,
  selectConnected,
  selectOnScreen,
  selectWithin,
  type SelectableCloud,
} from '@amber-knit/core/selection';
import { decodeCloud, encodeCloud, progressiveOrder, rowsLeftOf } from '@amber-knit/core/stored';
import { filterPoints } from '@amber-knit/core/geometry';
import { best, yardstick } from './yardstick.js';

const POINTS = 5_000_000;
const VIEW = { width: 900, height: 600 };

/** Prints how long selecting among five million points takes, one core, and as a multiple of the yardstick. */
export function selecting(): void {
  const yard = best(3, yardstick);
  console.log(`yardstick ${yard.toFixed(0)} ms (20 million square roots); ${POINTS / 1e6} million points`);
  const row = (name: string, ms: number): void =>
    console.log(`${name.padEnd(46)} ${ms.toFixed(0).padStart(6)} ms  ${(ms / yard).toFixed(1)}×`);
  const stored = bumpyBall(POINTS);
  row(
    'order for storing',
    best(1, () => progressiveOrder(stored.positions)),
  );
  const { cloud } = decodeCloud(encodeCloud(stored));
  const cut = filterPoints(
    cloud,
    Uint8Array.from({ length: POINTS }, (_, i) => (i % 3 ? 1 : 0)),
  );
  row(
    'a cut as bits',
    best(2, () => rowsLeftOf(cloud, cut)),
  );

  const shown: SelectableCloud = {
    positions: cloud.positions,
    present: BitSet.full(POINTS),
    viewFromScan: identity(),
    spacing: 0.08,
  };
  // Looking along z from 300 mm, 35° high.
  const f = 1 / Math.tan((17.5 * Math.PI) / 180);
  const clipFromView = Float64Array.of(f / 1.5, 0, 0, 0, 0, f, 0, 0, 0, 0, 1, 1, 0, 0, 290, 300);
  const view = { clipFromView, ...VIEW };
  const loop = Array.from({ length: 400 }, (_, i) => [
    450 + 150 * Math.cos(i / 63.7),
    300 + 200 * Math.sin(i / 63.7),
  ]).flat();
  const region = insideOfPath(loop, VIEW.width, VIEW.height);
  row(
    'lasso, through the object',
    best(5, () => selectOnScreen([shown], view, region, false)),
  );
  row(
    'lasso, only what is in front',
    best(5, () => selectOnScreen([shown], view, region, true)),
  );
  const lasso = selectOnScreen([shown], view, region, true);
  row(
    'joining two selections',
    best(5, () => lasso[0].union(shown.present)),
  );
  row(
    'ball of 10 mm',
    best(3, () => selectWithin([shown], Float32Array.of(0, 0, 50), 10)),
  );
  row(
    'growing by 0.2 mm',
    best(1, () => growSelection([shown], lasso, 0.2)),
  );
  row(
    'loose piece',
    best(1, () => selectConnected([shown], [shown.present], { cloud: 0, point: 5 }, 0.25)),
  );
}

function bumpyBall(n: number): PointCloud {
  const positions = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * i + 1) / n;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = 50 * Math.sqrt(1 - z * z) * (1 + 0.05 * Math.sin(3 * phi));
    positions.set([r * Math.cos(phi), r * Math.sin(phi), 50 * z], 3 * i);
  }
  return { positions };
}
