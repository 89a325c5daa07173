import type { DeviceInfo } from '@amber-knit/device-protocol';
import { advise, FIRST_ANSWERS, type PlanAnswers } from './index.js';

const device = (id: string, more: Partial<DeviceInfo>): DeviceInfo => ({
  id,
  name: id,
  deviceClass: 'structured-light',
  about: 'x',
  simulated: true,
  range: { near: 250, best: 330, far: 450 },
  fieldOfView: { horizontal: 34, vertical: 26 },
  depthSize: { width: 320, height: 240 },
  colorSize: { width: 640, height: 480 },
  maxFrameRate: 15,
  noise: { sigma: 0.1, distance: 350 },
  smallestObject: 30,
  sensors: ['depth'],
  settings: [{ name: 'exposure', title: 'Exposure', help: '', unit: 'ms', min: 0.5, max: 40, step: 0.5, default: 6 }],
  ...more,
});
const devices = [
  device('close', {}),
  device('tablet', {
    deviceClass: 'lidar',
    range: { near: 300, best: 1500, far: 5000 },
    fieldOfView: { horizontal: 60, vertical: 45 },
    noise: { sigma: 4, distance: 1500 },
    smallestObject: 200,
  }),
  device('table', { deviceClass: 'turntable', smallestObject: 20 }),
];
const plan = (more: Partial<PlanAnswers>) => advise({ ...FIRST_ANSWERS, ...more }, devices);
const fit = (more: Partial<PlanAnswers>, id: string) => plan(more).devices.find((d) => d.id === id)!.fit;
const topics = (more: Partial<PlanAnswers>) => plan(more).warnings.map((w) => w.topic);

test('the device follows from size, kind and what is allowed', () => {
  expect(fit({}, 'close')).toBe('good');
  // Practice: a tablet's depth sensor wants more than 200 mm.
  expect(fit({ size: 150 }, 'tablet')).toBe('poor');
  expect(fit({ kind: 'room', size: 3000 }, 'tablet')).toBe('good');
  expect(fit({ kind: 'room', size: 3000 }, 'close')).toBe('poor');
  expect(fit({}, 'table')).toBe('good');
  expect(fit({ mayTouch: false }, 'table')).toBe('poor');
  expect(fit({ size: 400 }, 'table')).toBe('poor');
});

test('every bad surface is warned of, with a remedy that respects the owner', () => {
  expect(topics({ surfaces: ['matte'] })).toEqual([]);
  expect(topics({ surfaces: ['dark', 'glossy', 'mirror', 'transparent', 'hair'], light: 'sun', still: false })).toEqual(
    expect.arrayContaining(['Dark surface', 'Gloss', 'Mirror-like surface', 'Transparent surface', 'It moves']),
  );
  expect(plan({ surfaces: ['mirror'], mayTouch: false }).warnings[0].remedy).toMatch(/not allowed/);
  expect(topics({ shape: 'hardly', marks: 'hardly' })).toContain('Nothing to follow');
  expect(plan({ shape: 'hardly', marks: 'hardly' }).trackBy).toBe('marker dots');
  expect(topics({ size: 25, deviceId: 'close' })).toContain('Too small');
});

test('settings stay within the device and follow the surface', () => {
  expect(plan({}).settings).toEqual({});
  expect(plan({ surfaces: ['dark'] }).settings.exposure).toBe(12);
  expect(plan({ surfaces: ['glossy'] }).settings.exposure).toBe(4.5);
});

test('setups cover what the first one hides; what may not be moved has one', () => {
  expect(plan({ kind: 'vessel' }).setups.map((s) => s.name)).toEqual(['Upright', 'Upside down']);
  expect(plan({ kind: 'part' }).setups).toHaveLength(3);
  expect(plan({ kind: 'vessel', mayTouch: false }).setups).toHaveLength(1);
});

test('later defaults follow size and finish, never finer than the sensor', () => {
  expect(plan({ size: 150, finish: 'archive' }).defaults.voxel).toBeCloseTo(0.3);
  expect(plan({ size: 30, finish: 'reverse' }).defaults.voxel).toBeGreaterThanOrEqual(0.2);
  expect(plan({ finish: 'render' }).defaults.triangles).toBeLessThan(plan({ finish: 'archive' }).defaults.triangles);
});

test('what is printed or shown is closed; what is kept, constructed from or walked into stays as it was found', () => {
  const rim = (answers: Partial<PlanAnswers>): number => plan(answers).defaults.maxRim;
  expect([rim({ finish: 'print' }), rim({ finish: 'render' })]).toEqual([0, 0]);
  expect(rim({ finish: 'archive', size: 300 })).toBe(60);
  expect(rim({ finish: 'reverse', size: 300 })).toBe(60);
  expect(rim({ finish: 'print', kind: 'room', size: 3000 })).toBe(600);
});
