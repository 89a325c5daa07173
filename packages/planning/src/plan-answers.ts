import type { DeviceClass } from '@amber-knit/device-protocol';

export const KINDS = ['vessel', 'part', 'figure', 'flat', 'furniture', 'room'] as const;
export const SURFACES = ['matte', 'glossy', 'dark', 'mirror', 'transparent', 'hair'] as const;
export const FINISHES = ['print', 'archive', 'render', 'reverse'] as const;
export const LIGHTS = ['dim', 'room', 'sun'] as const;
export const AMOUNTS = ['plenty', 'some', 'hardly'] as const;

export type ObjectKind = (typeof KINDS)[number];
export type Surface = (typeof SURFACES)[number];
export type Finish = (typeof FINISHES)[number];
export type RoomLight = (typeof LIGHTS)[number];
export type Amount = (typeof AMOUNTS)[number];

/** What the operator says of the object and of what it is scanned for. */
export interface PlanAnswers {
  kind: ObjectKind;
  /** Largest extent, mm. */
  size: number;
  surfaces: Surface[];
  /** How much there is to follow: edges and bumps; paint, grain and print. */
  shape: Amount;
  marks: Amount;
  /** Can it hold still and be touched. */
  still: boolean;
  mayTouch: boolean;
  light: RoomLight;
  finish: Finish;
  /** Chosen device; empty until chosen. */
  deviceId: string;
}

export const FIRST_ANSWERS: PlanAnswers = {
  kind: 'vessel',
  size: 150,
  surfaces: ['matte'],
  shape: 'some',
  marks: 'some',
  still: true,
  mayTouch: true,
  light: 'room',
  finish: 'archive',
  deviceId: '',
};

export type { DeviceClass };
