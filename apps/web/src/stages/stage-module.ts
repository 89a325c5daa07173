import type { ComponentType } from 'react';
import type { PieceView, Stage, StepView } from '@amber-knit/contracts';
import type { Watch } from '../shared/store';
import type { ViewOverlay } from '../view/view-overlay';

/** What a panel of a stage is given. */
export interface StagePanelProps {
  piece: PieceView;
  steps: readonly StepView[];
  /** A step of the piece runs or waits: nothing that changes the piece may begin. */
  busy: boolean;
}
export type StagePanel = ComponentType<StagePanelProps>;

/** How a result is looked at beforehand. */
export interface StagePreview {
  label: string;
  help: string;
  look(piece: PieceView, params: Record<string, unknown>): void;
}

/** Everything that the bench knows of a stage. Operations of the stage get their forms by themselves. */
export interface StageModule {
  id: Stage;
  /** Panels above the newest result: what a person must decide first. */
  first?: readonly StagePanel[];
  /** Panels between the newest result and the operations' forms. */
  panels?: readonly StagePanel[];
  /** Laid over the 3D view. */
  overlays?: readonly ViewOverlay[];
  /** What stands in the middle in place of the 3D view while it is wanted; the first that is. */
  instead?: readonly { while: Watch<boolean>; View: ComponentType<{ piece: PieceView }> }[];
  /** Below the middle. */
  Below?: ComponentType;
  /** Below the newest result of the stage, such as a file to take along. */
  Result?: ComponentType<{ step: StepView }>;
  /** Of some operations what they would give can be looked at first: what the button says, and what it does with the form's values. */
  previews?: Readonly<Record<string, StagePreview>>;
  /** Results are seen in the view beside what was before. */
  compared?: boolean;
  /** Undoes or redoes something of the stage's own first. @returns false if there was nothing */
  undo?(direction: 'undo' | 'redo'): boolean;
  /** Something is on its way to the server that will change the piece. */
  sending?: Watch<boolean>;
  /** Keys and what they do. */
  shortcuts?: readonly (readonly [string, string])[];
}
