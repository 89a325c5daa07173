import { pinhole } from '@amber-knit/core/geometry';
import { HAND_HELD_DEPTH_CAMERA } from '@amber-knit/demo';
import type { BenchArrangement, DeviceInfo, HeldAt, SettingSpec } from '@amber-knit/device-protocol';
import { OBJECTS, ROOM } from './scene-shelf.js';
import { depthSensor } from './sensors/depth-sensor.js';
import { lineSensor } from './sensors/line-sensor.js';
import type { Sensor } from './sensors/sensor.js';

/** A simulated device: what it says of itself, how it measures, and how its bench stands at first. */
export interface SimulatedModel {
  info: DeviceInfo;
  /** A fresh sensor for a session. */
  sensor: () => Sensor;
  bench?: Partial<BenchArrangement>;
  held?: Partial<HeldAt>;
}

export const SETUPS = ['Upright', 'Upside down', 'On its side'];
export const SWEEPS = [
  { id: 'round', name: 'One round' },
  { id: 'spiral', name: 'Spiral, rising' },
  { id: 'back-and-forth', name: 'Back and forth' },
];

const setting = (
  name: SettingSpec['name'],
  title: string,
  help: string,
  unit: string,
  [min, max, step]: [number, number, number],
  value: number,
): SettingSpec => ({ name, title, help, unit, min, max, step, default: value });

const settingsOf = (exposure: number, frameRate: number, maxRate: number): SettingSpec[] => [
  setting(
    'exposure',
    'Exposure',
    'Longer brings dark surfaces in, smears fast movements and over-exposes bright ones.',
    'ms',
    [0.5, 40, 0.5],
    exposure,
  ),
  setting('gain', 'Gain', 'Brightens without smearing, at the price of noise.', 'dB', [0, 24, 1], 0),
  setting(
    'light',
    'Projector',
    'Strength of the device’s own light or pattern. Less of it calms glare.',
    '%',
    [0, 100, 5],
    100,
  ),
  setting('frameRate', 'Frames a second', 'More frames forgive faster movements.', '/s', [1, maxRate, 1], frameRate),
  setting(
    'colorEvery',
    'Large picture every',
    'Every so many frames a large colour picture for the texture; 0 for none.',
    'frames',
    [0, 60, 1],
    6,
  ),
];

const objects = OBJECTS.map(({ id, name }) => ({ id, name }));
const bench = { objects, setups: SETUPS, sweeps: SWEEPS };
/** Smallest depth step sent by devices for hand-sized things, mm. */
const FINE_STEP = 0.02;

const structuredLight: SimulatedModel = {
  info: {
    id: 'hand-held-light',
    name: 'Hand-held structured light',
    deviceClass: 'structured-light',
    about: 'Fine detail of hand-sized things, held 25 to 45 cm away.',
    simulated: true,
    range: { near: 250, best: 330, far: 450 },
    fieldOfView: { horizontal: 34, vertical: 26 },
    depthSize: { width: 320, height: 240 },
    colorSize: { width: 640, height: 480 },
    maxFrameRate: 15,
    noise: { sigma: 0.1, distance: 350 },
    smallestObject: 30,
    sensors: ['depth', 'infrared', 'color'],
    settings: settingsOf(6, 12, 15),
    bench,
  },
  sensor: () =>
    depthSensor({
      model: {
        ...HAND_HELD_DEPTH_CAMERA,
        depth: pinhole(320, 240, 34),
        color: { width: 320, height: 240 },
        exposureSpread: 0.03,
      },
      largePicture: { width: 640, height: 480 },
      nominalExposure: 6,
      range: { near: 250, far: 450 },
      unit: FINE_STEP,
    }),
};

const depthCamera: SimulatedModel = {
  info: {
    id: 'depth-camera',
    name: 'Depth camera',
    deviceClass: 'depth-camera',
    about: 'Quick and forgiving, coarser: furniture, people, parts from 20 cm up.',
    simulated: true,
    range: { near: 300, best: 600, far: 1200 },
    fieldOfView: { horizontal: 58, vertical: 45 },
    depthSize: { width: 320, height: 240 },
    colorSize: { width: 640, height: 480 },
    maxFrameRate: 30,
    noise: { sigma: 1, distance: 600 },
    smallestObject: 200,
    sensors: ['depth', 'infrared', 'color'],
    settings: settingsOf(8, 15, 30),
    bench,
  },
  sensor: () =>
    depthSensor({
      model: {
        ...HAND_HELD_DEPTH_CAMERA,
        depth: pinhole(320, 240, 58),
        color: { width: 320, height: 240 },
        noise: 1,
        noiseDistance: 600,
        baseline: 60,
        exposureSpread: 0.05,
      },
      largePicture: { width: 640, height: 480 },
      nominalExposure: 8,
      range: { near: 300, far: 1200 },
      unit: FINE_STEP,
    }),
};

const turntable: SimulatedModel = {
  info: {
    id: 'turntable-light',
    name: 'Structured light with turntable',
    deviceClass: 'turntable',
    about: 'The scanner stands, the object turns in stops: even, repeatable, hands free.',
    simulated: true,
    range: { near: 280, best: 360, far: 480 },
    fieldOfView: { horizontal: 36, vertical: 28 },
    depthSize: { width: 480, height: 360 },
    colorSize: { width: 960, height: 720 },
    maxFrameRate: 4,
    noise: { sigma: 0.05, distance: 360 },
    smallestObject: 20,
    sensors: ['depth', 'infrared', 'color', 'angle'],
    settings: settingsOf(10, 2, 4),
    bench,
  },
  sensor: () =>
    depthSensor({
      model: {
        ...HAND_HELD_DEPTH_CAMERA,
        depth: pinhole(480, 360, 36),
        color: { width: 480, height: 360 },
        noise: 0.05,
        noiseDistance: 360,
        baseline: 70,
        exposureSpread: 0.02,
      },
      largePicture: { width: 960, height: 720 },
      nominalExposure: 10,
      range: { near: 280, far: 480 },
      unit: FINE_STEP,
      stands: true,
    }),
};

const lidar: SimulatedModel = {
  info: {
    id: 'tablet-lidar',
    name: 'Tablet lidar',
    deviceClass: 'lidar',
    about: 'Rooms and large things from a few steps away; knows roughly where it is.',
    simulated: true,
    range: { near: 400, best: 1500, far: 4500 },
    fieldOfView: { horizontal: 60, vertical: 47 },
    depthSize: { width: 256, height: 192 },
    colorSize: { width: 768, height: 576 },
    maxFrameRate: 15,
    noise: { sigma: 2, distance: 1500 },
    smallestObject: 400,
    sensors: ['depth', 'infrared', 'color', 'pose'],
    settings: settingsOf(8, 10, 15),
    bench: { objects: [ROOM, ...objects], setups: SETUPS, sweeps: SWEEPS },
  },
  sensor: () =>
    depthSensor({
      model: {
        ...HAND_HELD_DEPTH_CAMERA,
        depth: pinhole(256, 192, 60),
        color: { width: 256, height: 192 },
        noise: 2,
        noiseDistance: 1500,
        baseline: 12,
        exposureSpread: 0.04,
      },
      largePicture: { width: 768, height: 576 },
      nominalExposure: 8,
      range: { near: 400, far: 4500 },
      unit: 0.1,
      drift: { mm: 0.5, rad: 0.0004 },
    }),
  bench: { object: ROOM.id },
  held: { around: 45, up: 18 },
};

const lineLaser: SimulatedModel = {
  info: {
    id: 'line-laser-stand',
    name: 'Camera with line laser',
    deviceClass: 'line-laser',
    about: 'A camera and a laser line beside a turning platform: simple, slow, fine for matt things.',
    simulated: true,
    range: { near: 300, best: 420, far: 600 },
    fieldOfView: { horizontal: 42, vertical: 32 },
    depthSize: { width: 640, height: 480 },
    colorSize: { width: 640, height: 480 },
    maxFrameRate: 30,
    noise: { sigma: 0.1, distance: 420 },
    smallestObject: 20,
    sensors: ['color', 'pose'],
    settings: [
      setting(
        'exposure',
        'Exposure',
        'Long enough for the line, short enough for a dark room.',
        'ms',
        [0.5, 40, 0.5],
        6,
      ),
      setting('gain', 'Gain', 'Brightens, at the price of noise.', 'dB', [0, 24, 1], 0),
      setting('light', 'Laser', 'Strength of the laser line.', '%', [0, 100, 5], 45),
      setting(
        'frameRate',
        'Pictures a second',
        'With the turning, it gives the pictures a turn.',
        '/s',
        [1, 30, 1],
        10,
      ),
      setting('turning', 'Platform turns', 'Speed of the platform; 0 stands still.', '°/s', [0, 60, 1], 15),
    ],
    laser: { angle: 30, distance: 420, platform: 236 },
    bench: { ...bench, sweeps: [] },
  },
  sensor: () =>
    lineSensor({ model: { camera: pinhole(640, 480, 42), sheetWidth: 0.5, sharpAt: 420 }, nominalExposure: 6 }),
  bench: { roomLight: 0.2 },
  // As someone may have set it up in a hurry: not quite level, not quite on the axis.
  held: { around: 27, up: 10.5, distance: 440, yaw: 1.2, pitch: 1.6 },
};

/** Every simulated device that ships with Amber Knit. */
export const MODELS: SimulatedModel[] = [structuredLight, depthCamera, turntable, lidar, lineLaser];
