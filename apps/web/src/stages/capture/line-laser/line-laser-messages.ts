import type {
  LineCentresOptions,
  LineLaserStand,
  LineQuality,
  PlaceInPictures,
  PlatformTurn,
  StandEstimate,
  TraceReason,
  TurnSearch,
} from '@amber-knit/core/line-laser';
import type { ClientMessage, DeviceInfo, DeviceMessage } from '@amber-knit/device-protocol';

/** All that turns pictures into points. */
export interface LineLaserSetup {
  lines: LineCentresOptions;
  /** Degrees, left to right. */
  fieldOfView: number;
  stand: Omit<LineLaserStand, 'camera'>;
  turn: PlatformTurn;
  /** Width of the platform, mm; 0 = no limit. */
  platform: number;
  /** What lies lower is left out, mm. */
  lowest: number;
}

/** What the page tells the line-laser worker. */
export type ToLineLaser =
  | { type: 'connect'; url: string }
  | { type: 'device'; message: ClientMessage }
  /** Pictures from now on; each goes to a capture of the server at once. */
  | { type: 'record'; captureId: string }
  | { type: 'stop' }
  /** Nobody looks any more: store what is on its way, then end. */
  | { type: 'leave' }
  /** A recording from a zip of numbered pictures. */
  | { type: 'zip'; bytes: ArrayBuffer }
  /** A recording from a video: its pictures one by one, then `stop`. */
  | { type: 'picture'; picture: ImageBitmap }
  | { type: 'setup'; setup: LineLaserSetup }
  /**
   * Which picture to show: a number, or null for what the camera sees now; `light` shows what the suppression leaves;
   * the light along `row` comes with it.
   */
  | ({ type: 'show' } & Shown)
  | { type: 'estimate'; platform: number }
  /** Where a place of the object was, or should have been, measured. */
  | { type: 'trace'; place: [number, number, number] }
  | { type: 'pack' };

/** What is to be shown. */
export interface Shown {
  picture: number | null;
  light: boolean;
  row: number;
}

/** A picture on show, with what was found in it. */
export interface ShownPicture {
  /** Number in the recording; null for the live picture. */
  index: number | null;
  bitmap: ImageBitmap;
  line: { columns: Float32Array; rows: Uint16Array };
  quality: LineQuality;
  /** What the suppression leaves along a row, one value a pixel. */
  row: number;
  profile: Float32Array;
}

/** Where a place shows up, and what is to be seen there. */
export interface Trace extends PlaceInPictures {
  reason: TraceReason;
}

/** What the line-laser worker tells the page. */
export type FromLineLaser =
  | { type: 'connected'; device: DeviceInfo }
  | { type: 'device'; message: DeviceMessage }
  | ({ type: 'picture' } & ShownPicture)
  /** Degrees that the camera leans forward and to the side, where it has a spirit level. */
  | { type: 'level'; pitch: number; roll: number }
  /** How many of the recording's pictures the server holds. */
  | { type: 'stored'; pictures: number; waiting: number; trouble: string | null }
  | { type: 'recording'; pictures: number; over: boolean; width: number; height: number }
  | { type: 'turn'; search: TurnSearch }
  /** How far the search for lines has come, 0–1. */
  | { type: 'work'; fraction: number }
  /** Points of the turn, whole or as far as they are found; `step` is the way from picture to picture, mm. */
  | {
      type: 'points';
      positions: Float32Array;
      normals: Int8Array;
      colors: Uint8Array;
      step: number;
      found: Float32Array;
    }
  | { type: 'estimate'; estimate: StandEstimate }
  | { type: 'traced'; place: [number, number, number]; traces: Trace[] }
  | { type: 'packed'; bytes: ArrayBuffer }
  | { type: 'trouble'; text: string; over: boolean };
