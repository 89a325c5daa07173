import { LINE_CENTRES_DEFAULTS } from '@amber-knit/core/line-laser';
import { findOperation, parseParams } from '@amber-knit/operations';
import { standParams } from './stand-params';

test('a setup of the bench is what the operation understands', () => {
  const params = standParams({
    lines: { ...LINE_CENTRES_DEFAULTS, threshold: 24 },
    fieldOfView: 42,
    stand: { distance: 440, height: 81.5, laserAngle: 27, axisColumn: 301.8 },
    turn: { first: 3, count: 119.99, direction: -1 },
    platform: 236,
    lowest: 0.8,
  });
  // Unknown names and values outside their limits would throw.
  expect(parseParams(findOperation('capture.line-laser').params, params)).toMatchObject({
    distance: 440,
    laserAngle: 27,
    axisColumn: 301.8,
    first: 3,
    count: 119.99,
    turning: 'right',
    threshold: 24,
    color: 'red',
    platform: 236,
  });
});
