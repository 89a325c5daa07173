import { deviceSaid } from './device-said';

const arrangement = {
  object: 'galley-jug',
  setup: 'Upright',
  block: 0,
  spray: false,
  putty: false,
  dots: false,
  roomLight: 0,
  empty: false,
};
const held = { around: 0, up: 20, distance: 330, yaw: 0, pitch: 0 };

test('each message changes only what it tells of', () => {
  expect(deviceSaid({ type: 'state', state: 'running', sent: 1, dropped: 0 })).toEqual({});
  expect(deviceSaid({ type: 'turned', angle: 30 })).toEqual({});
  expect(deviceSaid({ type: 'error', code: 'not-supported', message: 'No table.' })).toEqual({ trouble: 'No table.' });
  const bench = { arrangement, held, sweep: 'round' };
  expect(deviceSaid({ type: 'bench', ...bench })).toEqual({ bench });
  const settings = { exposure: 6, gain: 0, light: 100, frameRate: 10, colorEvery: 6, turning: 0 };
  expect(deviceSaid({ type: 'settings', settings })).toEqual({ settings });
});
