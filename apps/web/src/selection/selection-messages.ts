import type { BitSet } from '@amber-knit/core/geometry';
import type { PointMeasure, ScreenView, SelectionJoin, WorstPlace } from '@amber-knit/core/selection';
import type { PlaneSide } from '../app/select-slice';
import type { CloudSource } from '../view/load-artifact';
import type { SectionSlab } from '../view/section';

/** A scan as the page knows it: where its points are kept and how it is shown. */
export interface ShownScan {
  id: string;
  name: string;
  source: CloudSource;
  /** 16 numbers, column by column. */
  viewFromScan: number[];
  visible: boolean;
  spacing: number;
}

/** What points can be judged by; `residual` is the distance from the surface of the other scans. */
export type Measure = PointMeasure | 'residual';

/** One way to choose points. Places on the picture are pixels of `view`, lengths mm in the piece's frame. */
export type Selector =
  | { kind: 'region'; shape: 'lasso' | 'brush'; path: number[]; radius: number; view: ScreenView; visibleOnly: boolean }
  | { kind: 'ball'; places: number[]; radius: number }
  | { kind: 'piece'; at: [number, number]; view: ScreenView }
  | { kind: 'color'; at: [number, number]; view: ScreenView; tolerance: number; connected: boolean }
  | { kind: 'normal'; at: [number, number]; view: ScreenView; maxAngleDeg: number; connected: boolean }
  | {
      kind: 'plane';
      at: [number, number];
      view: ScreenView;
      eye: [number, number, number];
      side: PlaneSide;
      distance: number;
    }
  | { kind: 'box'; min: [number, number, number]; max: [number, number, number] }
  | { kind: 'measure'; measure: Measure; from: number; to: number }
  | { kind: 'named'; name: string }
  /** What an operation would leave out; worked out beforehand, by scan id. */
  | { kind: 'found'; points: ReadonlyMap<string, BitSet> }
  | { kind: 'all' | 'none' | 'invert' }
  | { kind: 'grow' | 'shrink'; radius: number };

export type ToSelection =
  | { type: 'scans'; pieceId: string; scans: ShownScan[] }
  /** With a slab, only the points in it count as there. */
  | { type: 'select'; selector: Selector; join: SelectionJoin; slab: SectionSlab | null }
  | { type: 'undo' | 'redo' | 'pack' | 'restore' }
  | { type: 'remember' | 'forget'; name: string }
  /** Selects what an operation would leave out. */
  | { type: 'preview'; operationId: string; params: object }
  /** With a slab, its spread counts only the points in it; the second tells the spread of the last measure anew. */
  | { type: 'measure'; measure: Measure; slab: SectionSlab | null }
  | { type: 'spread'; slab: SectionSlab | null };

/** How a measure is spread over the points shown. */
export interface MeasureSpread {
  measure: Measure;
  /** Edges of the bars, one more than there are bars. */
  edges: number[];
  counts: number[];
  /** Points for which it can't be told. */
  unknown: number;
  /** Below the first lies half of the points, below the second 95 %. */
  median: number;
  high: number;
  /** Where it is highest; only for residuals. */
  worst: WorstPlace[];
  /** Whether only what lies in the section shown was counted. */
  inSection: boolean;
}

/** Level that stands for a value that can't be told; the others run from 0 to the top edge of the spread. */
export const UNKNOWN_LEVEL = 255;

/** What the page shows of the selection. */
export interface SelectionState {
  /** Selected points by scan id, of the scans that are shown; scans without any are left out. */
  counts: Record<string, number>;
  total: number;
  canUndo: boolean;
  canRedo: boolean;
  names: string[];
  /** Box around the points shown; null without any. */
  box: { min: number[]; max: number[] } | null;
  /** Widest spacing of the scans shown, mm. */
  spacing: number;
}

export type FromSelection =
  | { type: 'state'; state: SelectionState }
  | { type: 'marks'; scanId: string; size: number; selected: Uint8Array | null; leaving: Uint8Array | null }
  | { type: 'loading'; fraction: number | null }
  | { type: 'working'; busy: boolean }
  | { type: 'spread'; spread: MeasureSpread }
  | { type: 'levels'; scanId: string; levels: Uint8Array }
  | { type: 'packed'; bytes: ArrayBuffer; scans: string[] }
  | { type: 'said'; text: string };
