import type { ClientMessage, DeviceInfo, DeviceMessage, DeviceState } from '@amber-knit/device-protocol';
import type { TrackBy } from '@amber-knit/planning';
import type { Coverage, SplatPatch, StandOff, TrackingState } from '@amber-knit/core/tracking';

/** What the page tells the capture worker. */
export type ToCapture =
  | { type: 'connect'; url: string }
  /** Track and record from now on; frames already held by the server come first when a capture is resumed. */
  | {
      type: 'begin';
      captureId: string;
      nextSequence: number;
      held?: ArrayBuffer;
      trackBy: TrackBy;
      coarse: boolean;
      stops: number;
      colorViews: number;
    }
  /** What tracking will lean on: marker dots are shown before recording. */
  | { type: 'look-for'; trackBy: TrackBy }
  /** What is seen now is the empty support of a standing scanner: taken out of every stop. */
  | { type: 'learn-empty' }
  | { type: 'disconnect' }
  | { type: 'pause' }
  | { type: 'resume' }
  /** Takes the newest kept frames back, those of the last so many seconds. */
  | { type: 'take-back'; seconds: number }
  /** Stop recording; answered by `ended` once every frame is stored. */
  | { type: 'end' }
  | { type: 'device'; message: ClientMessage };

/** A plane in the live model's frame: points with n·p > d lie above it. */
export interface Plane {
  normal: [number, number, number];
  distance: number;
}

/** Figures of one processed frame. */
export interface FrameReport {
  sequence: number;
  /** What tracking made of it; absent while only looking. */
  state?: TrackingState;
  rms?: number;
  /** Marker dots that tracking leans on; absent where none are looked for. */
  dots?: number;
  /** Where the dots found are in the colour picture, shares of its width and height. */
  dotsAt?: [number, number][];
  pose?: number[];
  standOff?: StandOff;
  burnt: number;
  missing: number;
  /** Frames a second, lately. */
  rate: number;
  kept: number;
  coverage?: Coverage;
}

/** A picture for a camera tile, RGBA. */
export interface TilePicture {
  width: number;
  height: number;
  data: Uint8ClampedArray<ArrayBuffer>;
}

/** What the capture worker tells the page. */
export type FromCapture =
  | { type: 'connected'; device: DeviceInfo }
  | { type: 'device'; message: DeviceMessage }
  | { type: 'device-state'; state: DeviceState }
  | { type: 'frame'; report: FrameReport; color?: TilePicture; sensor?: TilePicture }
  | { type: 'patches'; patches: SplatPatch[] }
  /** The model was begun again: everything shown so far is void. */
  | { type: 'cleared' }
  | { type: 'support'; plane: Plane | null; middle: [number, number, number] }
  /** `trouble`: why frames are not being stored just now. */
  | { type: 'stored'; frames: number; waiting: number; trouble: string | null }
  /** What is left is said at once: while paused no frame comes whose report would say it. */
  | { type: 'taken-back'; frames: number; left: Pick<FrameReport, 'kept' | 'coverage'> }
  | { type: 'empty-learned' }
  /** How far a longer piece of work has come, in words. */
  | { type: 'said'; text: string }
  | { type: 'ended'; frames: number }
  | { type: 'trouble'; text: string; over: boolean };
