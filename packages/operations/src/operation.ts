import type { DimensionSheet } from '@amber-knit/core/dimensions';
import type { LightModel, Placement, Scan, TexturedMesh, TriangleMesh } from '@amber-knit/core/geometry';
import type { DeviationMap } from '@amber-knit/core/stored';
import type { SurfaceShape, TrustSheet } from '@amber-knit/core/fusion';
import type { ByteSource } from '@amber-knit/core/io';
import type { PlacingSheet } from '@amber-knit/core/placing';
import type { RunContext } from '@amber-knit/core/runtime';
import type { Demand, SurfaceFacts } from './demand.js';
import type { FigureFields, FigureValues } from './figures.js';
import type { ParamsClass } from './params.js';

/** Working order of the stages. */
export const STAGES = ['plan', 'capture', 'clean', 'register', 'fuse', 'mend', 'texture', 'check', 'deliver'] as const;
export type Stage = (typeof STAGES)[number];

/** A finished file. */
export interface OutputFile {
  name: string;
  mediaType: string;
  bytes: Uint8Array;
}

/** A place that was scanned on its own. */
export interface Surroundings {
  name: string;
  mesh: TriangleMesh;
}

/** What operations take and give: the artifact kinds, with their values in memory. */
export interface WorkData {
  /** All scans of the piece, with clouds and frames. */
  scans: Scan[];
  placements: Placement[];
  /** The surface as it stands. */
  mesh: TriangleMesh;
  /** The surface with its map. */
  model: TexturedMesh;
  /** A light surface with the detail of a dense one on its maps. */
  light: LightModel;
  /** What was measured on the surface, and what was asked. */
  dimensions: DimensionSheet;
  /** Which scans count where. */
  trust: TrustSheet;
  /** How far the surface lies off a reference. */
  deviation: DeviationMap;
  /** Another scanned place, in a frame of its own, to put the piece in. */
  surroundings: Surroundings;
  /** Where it was put there, and what was found. */
  placings: PlacingSheet;
  file: OutputFile & {
    /** An uploaded file that is read piece by piece; its `bytes` are then empty. */
    source?: ByteSource;
  };
}
export type ArtifactKind = keyof WorkData;

/** What is known of a piece without running anything: the ground for suggested values. Lengths in mm. */
export interface PieceStats {
  /** What the piece is called, where it has a name. */
  name?: string;
  scans: number;
  points: number;
  /** Median spacing of the scans' points. */
  spacing: number;
  /** Median diagonal of the scans' boxes. */
  diagonal: number;
  hasFrames: boolean;
  /** Scans whose frames were never made to agree. */
  unrefined: number;
  hasColors: boolean;
  triangles: number;
  hasModel: boolean;
  hasLight: boolean;
  /** The surface as it stands, where that is known. */
  surface?: SurfaceFacts;
  /** What the plan suggests, where there is one, and the object's longest side. */
  plan?: { voxel: number; triangles: number; mapSize: number; size: number; maxRim?: number; shape?: SurfaceShape };
  names: string[];
}

export interface OperationResult<Out extends ArtifactKind, F extends FigureFields = FigureFields> {
  outputs: Pick<WorkData, Out>;
  figures: FigureValues<F>;
}

/** What the knit chart shows of a stage: one figure, and a word or two beside it. */
export interface ChartCell {
  figure: string;
  detail: string;
}

/** One kind of processing, defined once: forms, validation, queue, command line and ledger all come from here. */
export interface Operation<
  P extends object = object,
  In extends ArtifactKind = ArtifactKind,
  Out extends ArtifactKind = ArtifactKind,
  F extends FigureFields = FigureFields,
> {
  /** Kept in the ledger: never renamed. */
  id: string;
  /** Raised when parameters or results change. */
  version: number;
  stage: Stage;
  title: string;
  /** One or two sentences for someone who has not used it. */
  help: string;
  /** What else people call it: it is found by these words too. */
  words?: string;
  /** The interface asks for its parameters in a way of its own, not by a form. */
  byHand?: boolean;
  /** Leaves out points of scans and changes nothing else: what would go can be shown beforehand. */
  takesAway?: boolean;
  /** Gives placements in which no scan has moved: what was made from those before stays up to date. */
  movesNothing?: boolean;
  needs: readonly In[];
  /** Used when there, not required. */
  uses?: readonly ArtifactKind[];
  gives: readonly Out[];
  params: ParamsClass<P>;
  /** Names of the scans that it reads, so that others need not be loaded; all if absent or empty, or none at all. */
  reads?(params: P): readonly string[] | 'none';
  /** Starting values that follow from the data. */
  suggest(stats: PieceStats): Partial<P>;
  /** Why a value is suggested, for those where it can be told. */
  because?(stats: PieceStats): Partial<Record<keyof P, string>>;
  /** What the piece must have for it, looked at beforehand; `run` looks again, and exactly. */
  demands?(surface: SurfaceFacts, stats: PieceStats): Demand[];
  run(inputs: Pick<WorkData, In> & Partial<WorkData>, params: P, ctx: RunContext): Promise<OperationResult<Out, F>>;
  /** What it tells, in the order in which it is shown. */
  figures: F;
  /** One line for the ledger. */
  summarize(figures: FigureValues<F>): string;
  /** Its cell in the knit chart while its result is the newest of its stage. */
  cell?(figures: FigureValues<F>): ChartCell;
}

/** Types a definition; returns it unchanged. */
export function defineOperation<
  P extends object,
  In extends ArtifactKind,
  Out extends ArtifactKind,
  const F extends FigureFields,
>(operation: Operation<P, In, Out, F>): Operation<P, In, Out, F> {
  return operation;
}

/** Looks at a surface and leaves it, and all that is made of it, as it is: for whoever may not change a piece. */
export const onlyMeasures = ({ stage, gives }: Pick<Operation, 'stage' | 'gives'>): boolean =>
  stage === 'check' && gives.every((kind) => kind === 'dimensions' || kind === 'deviation');
