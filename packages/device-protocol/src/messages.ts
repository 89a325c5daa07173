/**
 * The open device protocol, version 1 (docs/device-protocol.md): JSON text messages and binary frames over one
 * WebSocket a device, discovery over HTTP. Lengths millimetres, angles degrees, times milliseconds.
 */
export const PROTOCOL_VERSION = 1;

export type DeviceClass = 'structured-light' | 'depth-camera' | 'lidar' | 'turntable' | 'line-laser';

/** What a frame can bring. */
export type SensorKind = 'depth' | 'infrared' | 'color' | 'angle' | 'pose';

/** A number the operator may set, or a choice. */
export interface SettingSpec {
  name: 'exposure' | 'gain' | 'light' | 'frameRate' | 'colorEvery' | 'turning';
  title: string;
  help: string;
  unit: string;
  min: number;
  max: number;
  step: number;
  default: number;
}

export type DeviceSettings = Record<SettingSpec['name'], number>;

export interface DeviceInfo {
  id: string;
  name: string;
  deviceClass: DeviceClass;
  /** One line for someone choosing. */
  about: string;
  simulated: boolean;
  /** Nearest, best and farthest distance, mm. */
  range: { near: number; best: number; far: number };
  /** Degrees. */
  fieldOfView: { horizontal: number; vertical: number };
  depthSize: { width: number; height: number };
  colorSize: { width: number; height: number };
  maxFrameRate: number;
  /** Standard deviation of a single depth at a distance, mm. */
  noise: { sigma: number; distance: number };
  /** Smallest object that makes sense, mm. */
  smallestObject: number;
  sensors: SensorKind[];
  settings: SettingSpec[];
  /** Geometry of a line-laser stand, where the device knows it. */
  laser?: { angle: number; distance: number; platform: number };
  /** Present on simulated devices: the bench in front of them can be arranged. */
  bench?: { objects: { id: string; name: string }[]; setups: string[]; sweeps: { id: string; name: string }[] };
}

export type DeviceState = 'idle' | 'running' | 'paused';

export type ErrorCode = 'bad-message' | 'unknown-setting' | 'not-supported' | 'wrong-version';

/** Extension `bench` of simulated devices: what lies in front of the sensor and how it is held. */
export interface BenchArrangement {
  object: string;
  setup: string;
  /** The object stands on a block, this high, mm. */
  block: number;
  /** Matted with spray: no gloss, no transparency, dark parts grey. */
  spray: boolean;
  /** Held in a lump of putty. */
  putty: boolean;
  /** Marker dots are stuck on. */
  dots: boolean;
  /** Light of the room on the object, 0–1; disturbs depth sensors. */
  roomLight: number;
  /** Nothing but the support is there. */
  empty: boolean;
}

/** Where the operator holds the scanner: degrees round and above the object's middle, distance mm, tilt degrees. */
export interface HeldAt {
  around: number;
  up: number;
  distance: number;
  /** Aim beside the middle: degrees right and down. */
  yaw: number;
  pitch: number;
}

export type ClientMessage =
  | { type: 'open'; version: number }
  | { type: 'settings'; values: Partial<DeviceSettings> }
  | { type: 'start' }
  | { type: 'pause' }
  | { type: 'stop' }
  /** The device may send so many frames more; what it has no credit for it drops and counts. */
  | { type: 'credit'; frames: number }
  /** Turntables: go to an angle. */
  | { type: 'turn'; angle: number }
  | {
      type: 'bench';
      arrange?: Partial<BenchArrangement>;
      hold?: Partial<HeldAt>;
      sweep?: string | null;
      speed?: number;
    };

export type DeviceMessage =
  | { type: 'ready'; version: number; device: DeviceInfo; settings: DeviceSettings }
  | { type: 'settings'; settings: DeviceSettings }
  | { type: 'state'; state: DeviceState; sent: number; dropped: number }
  | { type: 'turned'; angle: number }
  | { type: 'bench'; arrangement: BenchArrangement; held: HeldAt; sweep: string | null }
  | { type: 'error'; code: ErrorCode; message: string };

const CLIENT_TYPES = ['open', 'settings', 'start', 'pause', 'stop', 'credit', 'turn', 'bench'];

/** Reads a client's text message. @returns what is wrong with it, as a text, if it is none */
export function parseClientMessage(text: string): ClientMessage | string {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return 'The message is not JSON.';
  }
  const m = value as Record<string, unknown> | null;
  if (typeof m !== 'object' || m === null || typeof m.type !== 'string') return 'A message is an object with a "type".';
  if (!CLIENT_TYPES.includes(m.type)) return `"${m.type}" is no message type (known: ${CLIENT_TYPES.join(', ')}).`;
  const needs: Record<string, string> = { open: 'version', credit: 'frames', turn: 'angle' };
  const number = needs[m.type];
  if (number && !Number.isFinite(m[number])) return `"${m.type}" needs a number "${number}".`;
  if (m.type === 'settings' && (typeof m.values !== 'object' || m.values === null))
    return '"settings" needs an object "values".';
  return m as unknown as ClientMessage;
}
