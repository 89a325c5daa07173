import type { Mat4, Random } from '@amber-knit/core/math';
import type { BenchArrangement, DeviceFrame, DeviceSettings, HeldAt } from '@amber-knit/device-protocol';
import type { BenchScene } from '../scene-shelf.js';

/** All that a simulated sensor has to know to take one frame. */
export interface Moment {
  settings: DeviceSettings;
  arrangement: BenchArrangement;
  bench: BenchScene;
  held: HeldAt;
  /** Trembling of the hand; 1 is a calm one. */
  tremor: number;
  /** Degrees that the table or platform has turned. */
  turned: number;
  /** Frames taken before. */
  sequence: number;
  /** Where the sensor was for the frame before. */
  before?: Mat4;
  random: Random;
}

/** What a sensor brings of a moment, and where it truly was. */
export interface Taken {
  frame: Omit<DeviceFrame, 'sequence' | 'time' | 'angle'>;
  worldFromSensor: Mat4;
}

/** The measuring part of a simulated device. */
export type Sensor = (moment: Moment) => Taken;

/** Exposure and gain together, over what suits a grey surface. */
export function exposureOf({ exposure, gain }: DeviceSettings, nominal: number): number {
  return (exposure / nominal) * 10 ** (gain / 20);
}
