import {
  galleyJug,
  handWheel,
  HAND_HELD_DEPTH_CAMERA,
  oarFork,
  pinhole,
  type DepthCameraModel,
} from '@amber-knit/demo';
import type { DeviceInfo, SettingSpec } from '@amber-knit/device-protocol';

/** A simulated device: what it says of itself and how its sensor behaves. */
export interface SimulatedModel {
  info: DeviceInfo;
  sensor: DepthCameraModel;
  /** Exposure (ms) at gain 0 that suits a grey surface at the best distance. */
  nominalExposure: number;
}

export const OBJECTS = [galleyJug, handWheel, oarFork];
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

const bench = { objects: OBJECTS.map(({ id, name }) => ({ id, name })), setups: SETUPS, sweeps: SWEEPS };

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
  sensor: {
    ...HAND_HELD_DEPTH_CAMERA,
    depth: pinhole(320, 240, 34),
    color: { width: 320, height: 240 },
    exposureSpread: 0.03,
  },
  nominalExposure: 6,
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
  sensor: {
    ...HAND_HELD_DEPTH_CAMERA,
    depth: pinhole(320, 240, 58),
    color: { width: 320, height: 240 },
    noise: 1,
    noiseDistance: 600,
    baseline: 60,
    exposureSpread: 0.05,
  },
  nominalExposure: 8,
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
  sensor: {
    ...HAND_HELD_DEPTH_CAMERA,
    depth: pinhole(480, 360, 36),
    color: { width: 480, height: 360 },
    noise: 0.05,
    noiseDistance: 360,
    baseline: 70,
    exposureSpread: 0.02,
  },
  nominalExposure: 10,
};

/** Every simulated device that ships with Amber Knit. */
export const MODELS: SimulatedModel[] = [structuredLight, depthCamera, turntable];
