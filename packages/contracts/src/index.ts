import type {
  DoubtReason,
  PlacementAgreement,
  PlacementNeighbour,
  PlacementUncertainty,
} from '@amber-knit/core/geometry';
import type { DeviceInfo } from '@amber-knit/device-protocol';
import type { GuideAnswers, PlanAnswers } from '@amber-knit/planning';
import type { GuideVerdict, MadeRecipe, Recipe, StepState, Stop } from '@amber-knit/recipes';
import type {
  ArtifactKind,
  Demand,
  FigureView,
  OperationDescription,
  SurfaceFacts,
  Figures,
  ParamField,
  ParamView,
  Stage,
} from '@amber-knit/operations';
import type { PersonName } from './accounts.js';

/** HTTP and event types that server and browser share. Dates are ISO 8601 texts, lengths millimetres. */

export * from './accounts.js';

export type { FigureView, ParamView } from '@amber-knit/operations';

export type StepStatus = 'queued' | 'running' | 'done' | 'failed' | 'cancelled';

export type OperationView = OperationDescription;

/** Starting values of an operation for a piece, and why. */
export interface SuggestionsView {
  values: Record<string, unknown>;
  reasons: Record<string, string>;
  /** What the piece must have for it. */
  demands: DemandView[];
}

/** Something that an operation demands of a piece, and what would mend it. */
export interface DemandView extends Omit<Demand, 'remedy'> {
  remedy?: { operationId: string; title: string };
}

export interface StepView {
  id: string;
  pieceId: string;
  operationId: string;
  title: string;
  stage: Stage;
  version: number;
  /** Of a single step all; in lists and events without what was drawn by hand, which may be long. */
  params: Record<string, unknown>;
  seed: number;
  status: StepStatus;
  progress: number;
  progressStage: string;
  /** Values as the operation told them; see `figureList` for what they mean. */
  figures: Figures | null;
  /** What it told, ready to be shown; empty until it is done. */
  figureList: FigureView[];
  /** With labels and units. */
  paramList: ParamView[];
  summary: string | null;
  notes: string[];
  error: string | null;
  /** Name of the file that it began with, if it did. */
  sourceName: string | null;
  inputs: string[];
  outputs: string[];
  /** Who asked for it, where there are accounts. */
  by: string | null;
  attempt: number;
  createdAt: string;
  startedAt: string | null;
  finishedAt: string | null;
}

/** What a piece is made of, as it is stored. */
export const ARTIFACT_KINDS = [
  'cloud',
  'frames',
  'placements',
  'mesh',
  'model',
  'light',
  'dimensions',
  'trust',
  'deviation',
  'surroundings',
  'placings',
  'file',
] as const;

export interface ArtifactView {
  id: string;
  kind: (typeof ARTIFACT_KINDS)[number];
  bytes: number;
  /** Facts such as points, spacing, triangles. */
  facts: Record<string, number | string | boolean>;
  stepId: string | null;
}

export interface PlacementView {
  name: string;
  state: 'loose' | 'placed' | 'registered' | 'excluded';
  /** 16 numbers, column by column. */
  pieceFromScan: number[];
  /** Stays where it is in every registration. */
  locked?: boolean;
  /** Root mean square distance to the neighbouring scans, mm. */
  residual?: number;
  /** Scans it lies on, and how. */
  neighbours?: PlacementNeighbour[];
  /** How well the others hold it. */
  uncertainty?: PlacementUncertainty;
}

/** Scans that may not belong where they are; they stay placed until that is decided. */
export interface DoubtView {
  /** Names of the scans that move together. */
  scans: string[];
  reason: DoubtReason;
  /** Where they are now, then the rival places. */
  places: PlaceView[];
}

export interface PlaceView {
  /** Moves the scans from where they are now: 16 numbers, column by column. */
  pieceFromPiece: number[];
  agreement: PlacementAgreement;
}

export interface ScanView {
  id: string;
  name: string;
  setup: string;
  /** What the user noted about it. */
  note: string;
  /** Position in the list of colours. */
  colorIndex: number;
  /** Frames that are used. */
  frames: number;
  /** Names of frames that were dropped. */
  droppedFrames: string[];
  /** The artifact that holds all of its frames; null without. */
  framesId: string | null;
  /** How the surface that it sees grew along its frames, in per cent of all of it; empty where that is not known. */
  coverage: number[];
  cloud: ArtifactView;
  /** The cloud as it came in. */
  original: ArtifactView;
  placement: PlacementView;
}

/** A state that the piece was in: one can go back to it, or forward again. */
export interface VersionView {
  id: string;
  /** What led to it. */
  title: string;
  detail: string;
  stepId: string | null;
  at: string;
  place: 'before' | 'current' | 'after';
}

/** What can be scanned with; without any, `reason` says why. */
export interface DeviceList {
  devices: DeviceInfo[];
  reason?: string;
}

export type CaptureStatus = 'open' | 'finished' | 'discarded';

/** A capture with the frames that the server holds of it. */
/** What a capture gathers: depth frames, or the pictures of a line-laser recording. */
export type CaptureHolds = 'frames' | 'pictures';

export interface CaptureView {
  id: string;
  pieceId: string;
  name: string;
  setup: string;
  deviceId: string;
  settings: Record<string, number>;
  holds: CaptureHolds;
  status: CaptureStatus;
  /** Frames held and not taken back. */
  frames: number;
  /** The next free frame number. */
  nextSequence: number;
  stepId: string | null;
  createdAt: string;
}

/** A stage's state on the knit chart. */
export interface StageState {
  stage: Stage;
  state: 'empty' | 'done' | 'outdated' | 'running';
  figure: string;
  detail: string;
}

export interface PieceSummary {
  id: string;
  name: string;
  note: string;
  scans: number;
  points: number;
  stage: Stage;
  triangles: number;
  watertight: boolean | null;
  updatedAt: string;
  picture: ArtifactView | null;
  /** What runs or waits for its turn, in words. */
  running: string | null;
  /** Whose it is; null: the workshop's. */
  owner: PersonName | null;
}

/** Bytes that a piece takes, and those of them that removing it, or forgetting what was undone on it, would give back. */
export interface PieceRoom {
  bytes: number;
  freed: number;
  undone: number;
}

/** A piece that was put away from the shelf. */
export interface AwayPiece extends PieceRoom {
  id: string;
  name: string;
  note: string;
  awayAt: string;
}

export interface PieceView extends PieceSummary {
  setups: string[];
  /** Answers of the plan; null until it was made. */
  plan: PlanAnswers | null;
  scanList: ScanView[];
  placements: ArtifactView | null;
  doubts: DoubtView[];
  mesh: ArtifactView | null;
  /** What is known of it without looking at it anew. */
  surface: SurfaceFacts | null;
  model: ArtifactView | null;
  /** A light surface with the detail of a dense one on its maps. */
  light: ArtifactView | null;
  /** What was measured on the surface, a `DimensionSheet` as JSON. */
  dimensions: ArtifactView | null;
  /** False if the surface has changed since. */
  dimensionsFresh: boolean;
  /** Which scans count where, a `TrustSheet` as JSON. */
  trust: ArtifactView | null;
  /** How far each vertex of the surface lies off a reference; gone once the surface changes. */
  deviation: ArtifactView | null;
  /** Another scanned place that the piece is put in. */
  surroundings: ArtifactView | null;
  /** Where it was put there, a `PlacingSheet` as JSON. */
  placings: ArtifactView | null;
  /** False if the surface or the surroundings have changed since. */
  placingsFresh: boolean;
  stages: StageState[];
  canUndo: boolean;
  canRedo: boolean;
  /** What the last undoable step was. */
  lastStep: string | null;
}

/** Where a guided run stands. `paused`: it goes on once somebody says so. */
export type GuidedStatus = 'working' | 'asking' | 'waiting-for-scans' | 'paused' | 'done';

/** One operation on a guided run's way. */
export interface GuidedStepView {
  operationId: string;
  title: string;
  stage: Stage;
  state: StepState | 'running';
  /** The step that did it, or does. */
  stepId: string | null;
  /** Seconds that it took, or is likely to take. */
  seconds: number;
}

export interface GuidedView {
  answers: GuideAnswers;
  /** Title of the recipe that it follows; null: from the answers. */
  recipe: string | null;
  status: GuidedStatus;
  /** What it does now, or why it does not, in a sentence. */
  now: string;
  way: GuidedStepView[];
  /** Seconds until it is done or asks. */
  secondsLeft: number;
  /** What a person must judge now. */
  stop: Stop | null;
  /** Stops behind it with what was decided; they can be decided anew. */
  decided: { stop: Stop; choice: string }[];
  /** Once it is done. */
  verdict: GuideVerdict | null;
}

/** A guided run, and what would be answered beforehand; `run` is null until it is started. */
export interface GuidedState {
  run: GuidedView | null;
  first: GuideAnswers;
}

/** What happens to pieces. */
export type WorkEvent =
  | { type: 'step'; step: StepView }
  | { type: 'piece'; pieceId: string }
  /** Changes may have been missed: what is shown must be asked for again. */
  | { type: 'anew' };

/** What the browser is told; `signed-out`: whoever listens is no longer signed in. */
export type ServerEvent = WorkEvent | HereEvent | { type: 'signed-out' };

/** Who has a piece open. */
export interface HereEvent {
  type: 'here';
  pieceId: string;
  people: PersonHere[];
}

/** Somebody who has a piece open, and the stage that they are at. */
export interface PersonHere extends PersonName {
  stage: Stage | null;
}

/** A page of help. */
export interface HelpView {
  stage: Stage;
  markdown: string;
}

/** Something said about a piece. */
export interface RemarkView {
  id: string;
  /** Null where there are no accounts. */
  by: PersonName | null;
  text: string;
  /** A place of the surface, mm. */
  place: [number, number, number] | null;
  /** False if the surface is another one since. */
  fresh: boolean;
  stepId: string | null;
  at: string;
  done: { by: string | null; at: string } | null;
}

/** RFC 9457 problem details. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  detail: string;
  code?: string;
}

export type { DoubtReason, PlacementAgreement, PlacementNeighbour, PlacementUncertainty, PlanAnswers };
export type { GuideAnswers, GuideVerdict, MadeRecipe, Recipe, Stop };
export type { ArtifactKind, Figures, ParamField, Stage };

/** Ways of looking that a shared view may offer besides the object in its colours. */
export const SHARED_LOOKS = ['shape', 'sureness', 'wireframe', 'section'] as const;
export type SharedLook = (typeof SHARED_LOOKS)[number];

/** What somebody allows in a shared view. */
export interface SharedViewTerms {
  /** For whom it is: to tell links apart. */
  name: string;
  /** What the page says below the piece's name. */
  note: string;
  looks: SharedLook[];
  /** Distances can be measured. */
  measuring: boolean;
  /** Dimensions and notes that were kept with the piece are shown. */
  dimensions: boolean;
  /** Ids of delivered files that may be downloaded. */
  files: string[];
  /** When the link ends; null: when somebody ends it. */
  endsAt: string | null;
}

/** A shared view as its owner sees it. */
export interface SharedView extends SharedViewTerms {
  id: string;
  /** The address of its page. */
  address: string;
  hasPassword: boolean;
  createdAt: string;
  /** Ended by somebody, or by its date. */
  ended: boolean;
  /** How often it was opened, and when last. */
  opened: number;
  lastOpenedAt: string | null;
  /** It shows the piece as it stands now. */
  current: boolean;
}

/** A shared view as whoever has the link sees it: nothing in it leads to anything else of the server. */
export interface SharedPage {
  /** What the piece is called. */
  title: string;
  note: string;
  looks: SharedLook[];
  measuring: boolean;
  /** Surfaces that there are: the light one for a quick look, the whole one in its colours or without. */
  surfaces: ('light' | 'model' | 'mesh')[];
  triangles: number;
  /** Pictures side by side in the first picture; 0 if there is none. */
  pictures: number;
  dimensions: boolean;
  files: { name: string; bytes: number }[];
  sharedAt: string;
}
