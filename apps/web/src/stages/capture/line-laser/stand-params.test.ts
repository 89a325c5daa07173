import { LINE_CENTRES_DEFAULTS } from '@amber-knit/core/line-laser';
import { findOperation, parseParams } from '@amber-knit/operations';
import type { LineLaserSetup } from './line-laser-messages';
import { setupFrom, settingsOf, standParams } from './stand-params';

const setup: LineLaserSetup = {
  lines: { ...LINE_CENTRES_DEFAULTS, threshold: 24 },
  fieldOfView: 42,
  stand: { distance: 440, height: 81.5, laserAngle: 27, axisColumn: 301.8, tilt: -2, roll: 0.5 },
  turn: { first: 3, count: 119.99, direction: -1 },
  platform: 236,
  lowest: 0.8,
};

test('a setup of the bench is what the operation understands', () => {
  const params = standParams(setup);
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
    tilt: -2,
    roll: 0.5,
  });
});

test('a stand goes with its recording, whatever was set meanwhile; what is missing stays', () => {
  const other = { ...setup, fieldOfView: 50, stand: { distance: 1, height: 1, laserAngle: 10, axisColumn: 0 } };
  expect(setupFrom(settingsOf(setup), other)).toEqual(setup);
  const { distance: _, ...some } = settingsOf(setup);
  expect(setupFrom(some, other).stand).toMatchObject({ distance: 1, height: 81.5 });
});
