import {
  Column,
  CreateDateColumn,
  Entity,
  Generated,
  Index,
  PrimaryColumn,
  PrimaryGeneratedColumn,
  UpdateDateColumn,
} from 'typeorm';
import type {
  ArtifactView,
  CaptureHolds,
  CaptureStatus,
  Figures,
  GuideAnswers,
  PlanAnswers,
  Role,
  StepStatus,
} from '@amber-knit/contracts';
import type { Recipe } from '@amber-knit/recipes';

/** One object to deliver. */
@Entity('piece')
export class Piece {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Column('text') name: string;
  @Column('text', { default: '' }) note: string;
  /** The state that stands now. */
  @Column('uuid', { name: 'state_id', nullable: true }) stateId: string | null;
  /** States undone, the next to redo last. */
  @Column('uuid', { name: 'redo', array: true, default: () => "'{}'" }) redo: string[];
  /** Answers of the plan; null until it was made. */
  @Column('jsonb', { nullable: true }) plan: PlanAnswers | null;
  /** Whose it is; null: the workshop's. */
  @Column('uuid', { name: 'owner_id', nullable: true }) ownerId: string | null;
  /** When it was put away from the shelf. */
  @Column('timestamptz', { name: 'away_at', nullable: true }) awayAt: Date | null;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
  @UpdateDateColumn({ name: 'updated_at', type: 'timestamptz' }) updatedAt: Date;
}

/** Data captured in one continuous go. */
@Entity('scan')
export class ScanRow {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Index() @Column('uuid', { name: 'piece_id' }) pieceId: string;
  @Column('text') name: string;
  @Column('text') setup: string;
  @Column('int', { name: 'color_index' }) colorIndex: number;
  @Column('int') frames: number;
  /** The cloud as it came in. */
  @Column('uuid', { name: 'original_id' }) originalId: string;
  @Column('uuid', { name: 'frames_id', nullable: true }) framesId: string | null;
}

/** What the user calls a scan and where it belongs, if that is other than when it came in. */
export interface ScanLabel {
  name?: string;
  setup?: string;
  colorIndex?: number;
  note?: string;
}

/** Which artifacts are current: each slot names an artifact. */
export interface Heads {
  /** Cloud artifact by scan id; a scan that is not listed does not exist in this state. */
  clouds: Record<string, string>;
  /** By scan id. */
  labels?: Record<string, ScanLabel>;
  /** Frames artifact by scan id, of scans whose frames stand elsewhere than they came in. */
  frames?: Record<string, string>;
  placements?: string;
  mesh?: string;
  model?: string;
  /** A light surface with the detail of a dense one on its maps. */
  light?: string;
  /** What was measured on the surface. */
  dimensions?: string;
  /** Which scans count where. */
  trust?: string;
  /** How far it lies off a reference. */
  deviation?: string;
  /** Another scanned place, and where the piece was put there. */
  surroundings?: string;
  placings?: string;
  /** Turntable strip of the surface, for the shelf. */
  picture?: string;
}

/** A piece's state after a step; states form a tree through `parentId`, nothing is overwritten. */
@Entity('piece_state')
export class PieceState {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Index() @Column('uuid', { name: 'piece_id' }) pieceId: string;
  @Column('uuid', { name: 'parent_id', nullable: true }) parentId: string | null;
  @Column('uuid', { name: 'step_id', nullable: true }) stepId: string | null;
  @Column('jsonb') heads: Heads;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
}

/** An immutable result; its bytes are a blob. */
@Entity('artifact')
export class Artifact {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Index() @Column('uuid', { name: 'piece_id' }) pieceId: string;
  @Column('text') kind: ArtifactView['kind'];
  @Column('text', { name: 'blob_sha256' }) blobSha256: string;
  @Column('jsonb') facts: Record<string, number | string | boolean>;
  @Column('uuid', { name: 'step_id', nullable: true }) stepId: string | null;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
}

/** One run of an operation. */
@Entity('step')
export class Step {
  @PrimaryGeneratedColumn('uuid') id: string;
  /** Counts up over all steps: the order in which they were asked for, and run within a piece. */
  @Generated('increment') @Column('int') number: number;
  @Index() @Column('uuid', { name: 'piece_id' }) pieceId: string;
  @Column('text', { name: 'operation_id' }) operationId: string;
  @Column('int', { name: 'operation_version' }) operationVersion: number;
  @Column('json') params: Record<string, unknown>;
  @Column('int') seed: number;
  @Column('text') status: StepStatus;
  @Column('boolean', { name: 'cancel_requested', default: false }) cancelRequested: boolean;
  @Column('real', { default: 0 }) progress: number;
  @Column('text', { name: 'progress_stage', default: '' }) progressStage: string;
  /** Artifacts read and made. */
  @Column('uuid', { array: true, default: () => "'{}'" }) inputs: string[];
  @Column('uuid', { array: true, default: () => "'{}'" }) outputs: string[];
  /** Steps that were open when it was asked for and whose results it works on: without them it is not run. */
  @Column('uuid', { array: true, default: () => "'{}'" }) after: string[];
  /** Raw file to read, for imports. */
  @Column('text', { name: 'source_sha256', nullable: true }) sourceSha256: string | null;
  @Column('text', { name: 'source_name', nullable: true }) sourceName: string | null;
  @Column('text', { name: 'source_setup', nullable: true }) sourceSetup: string | null;
  /** The upload that brought the file: it makes one step only. */
  @Column('text', { name: 'upload_id', nullable: true, unique: true }) uploadId: string | null;
  @Column('json', { nullable: true }) figures: Figures | null;
  @Column('text', { nullable: true }) summary: string | null;
  @Column('jsonb', { default: () => "'[]'" }) notes: string[];
  @Column('text', { nullable: true }) error: string | null;
  /** The name of who asked for it, where there are accounts. */
  @Column('text', { nullable: true }) by: string | null;
  @Column('int', { default: 0 }) attempt: number;
  @Column('text', { nullable: true }) worker: string | null;
  @Column('timestamptz', { nullable: true }) heartbeat: Date | null;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
  @Column('timestamptz', { name: 'started_at', nullable: true }) startedAt: Date | null;
  @Column('timestamptz', { name: 'finished_at', nullable: true }) finishedAt: Date | null;
}

/** A guided run of a piece: what was answered and decided. What it does next follows from these and the piece. */
@Entity('guided_run')
export class GuidedRun {
  @PrimaryColumn('uuid', { name: 'piece_id' }) pieceId: string;
  @Column('jsonb') answers: GuideAnswers;
  /** The recipe that it follows; null: the one that follows from the answers. */
  @Column('jsonb', { nullable: true }) recipe: Recipe | null;
  @Column('jsonb', { default: () => "'{}'" }) decided: Record<string, string>;
  @Column('text', { name: 'left_out', array: true, default: () => "'{}'" }) leftOut: string[];
  @Column('boolean', { default: false }) paused: boolean;
  /** Steps it asked for. */
  @Column('uuid', { array: true, default: () => "'{}'" }) steps: string[];
  /** The name of who began it or decided last: its steps are asked for in that name. */
  @Column('text', { nullable: true }) by: string | null;
  /** Steps with a higher number that are undone hold it up: somebody went back. */
  @Column('int', { name: 'since_number', default: 0 }) sinceNumber: number;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
  @UpdateDateColumn({ name: 'updated_at', type: 'timestamptz' }) updatedAt: Date;
}

/** A capture under way, or finished: its frames arrive one by one while scanning. */
@Entity('capture')
export class Capture {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Index() @Column('uuid', { name: 'piece_id' }) pieceId: string;
  @Column('text') name: string;
  @Column('text') setup: string;
  @Column('text', { name: 'device_id' }) deviceId: string;
  @Column('jsonb') settings: Record<string, number>;
  @Column('text', { default: 'frames' }) holds: CaptureHolds;
  @Column('text', { default: 'open' }) status: CaptureStatus;
  /** The step that makes a scan of it, once finished. */
  @Column('uuid', { name: 'step_id', nullable: true }) stepId: string | null;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
  @UpdateDateColumn({ name: 'updated_at', type: 'timestamptz' }) updatedAt: Date;
}

/** One kept frame or packed picture as the browser sent it. Never deleted: what is taken back is only marked. */
@Entity('capture_frame')
export class CaptureFrame {
  @PrimaryColumn('uuid', { name: 'capture_id' }) captureId: string;
  @PrimaryColumn('int') sequence: number;
  @Column('bytea') data: Buffer;
  @Column('boolean', { name: 'taken_back', default: false }) takenBack: boolean;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
}

/** Selected points kept by name with a piece: the bytes of a `selection` bundle. */
@Entity('remembered_selection')
export class RememberedSelection {
  @PrimaryColumn('uuid', { name: 'piece_id' }) pieceId: string;
  @PrimaryColumn('text') name: string;
  @Column('bytea') data: Buffer;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
}

/** A link under which a piece can be looked at, and what it allows. */
@Entity('shared_view')
export class SharedViewRow {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Index() @Column('uuid', { name: 'piece_id' }) pieceId: string;
  @Column('text', { unique: true }) token: string;
  @Column('text') name: string;
  @Column('text', { default: '' }) note: string;
  /** The artifacts that it shows. */
  @Column('jsonb') heads: Partial<Record<'mesh' | 'model' | 'light' | 'picture' | 'dimensions', string>>;
  @Column('text', { array: true }) looks: string[];
  @Column('boolean') measuring: boolean;
  @Column('boolean') dimensions: boolean;
  /** Artifacts that may be downloaded. */
  @Column('uuid', { array: true }) files: string[];
  /** Salt and hash in hexadecimal; and what a browser shows once it has given the password. */
  @Column('text', { name: 'password_hash', nullable: true }) passwordHash: string | null;
  @Column('text', { name: 'pass_key', nullable: true }) passKey: string | null;
  @Column('timestamptz', { name: 'ends_at', nullable: true }) endsAt: Date | null;
  @Column('int', { default: 0 }) opened: number;
  @Column('timestamptz', { name: 'last_opened_at', nullable: true }) lastOpenedAt: Date | null;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
}

/** Somebody with an account. Never deleted: what they did stays theirs. */
@Entity('person')
export class Person {
  @PrimaryGeneratedColumn('uuid') id: string;
  /** No two are the same but for capitals. */
  @Column('text') name: string;
  @Column('text') role: Role;
  @Column('text', { name: 'password_hash' }) passwordHash: string;
  /** Since when they may no longer come in. */
  @Column('timestamptz', { name: 'ended_at', nullable: true }) endedAt: Date | null;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
}

/** A place where somebody is signed in. The cookie holds the token, this its hash. */
@Entity('session')
export class Session {
  @PrimaryColumn('text', { name: 'token_hash' }) tokenHash: string;
  @Index() @Column('uuid', { name: 'person_id' }) personId: string;
  @Column('timestamptz', { name: 'seen_at' }) seenAt: Date;
  @Column('timestamptz', { name: 'ends_at' }) endsAt: Date;
}

/** A link under which somebody makes an account, or a person chooses a new password; once. */
@Entity('invitation')
export class Invitation {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Column('text', { name: 'token_hash', unique: true }) tokenHash: string;
  @Column('text') role: Role;
  @Column('uuid', { name: 'person_id', nullable: true }) personId: string | null;
  @Column('text', { nullable: true }) by: string | null;
  @Column('timestamptz', { name: 'ends_at' }) endsAt: Date;
}

/** What somebody remarked on a piece, at a place of its surface or on a step if they said so. */
@Entity('remark')
export class Remark {
  @PrimaryGeneratedColumn('uuid') id: string;
  @Index() @Column('uuid', { name: 'piece_id' }) pieceId: string;
  /** Who, where there are accounts. */
  @Column('uuid', { name: 'person_id', nullable: true }) personId: string | null;
  @Column('text', { nullable: true }) by: string | null;
  @Column('text') text: string;
  /** mm, on the surface that it was pinned to. */
  @Column('double precision', { array: true, nullable: true }) place: [number, number, number] | null;
  @Column('uuid', { name: 'mesh_id', nullable: true }) meshId: string | null;
  @Column('uuid', { name: 'step_id', nullable: true }) stepId: string | null;
  @Column('timestamptz', { name: 'done_at', nullable: true }) doneAt: Date | null;
  @Column('text', { name: 'done_by', nullable: true }) doneBy: string | null;
  @CreateDateColumn({ name: 'created_at', type: 'timestamptz' }) createdAt: Date;
}

/** Bytes by their SHA-256, in chunks. */
@Entity('blob')
export class Blob {
  @PrimaryColumn('text') sha256: string;
  @Column('bigint') bytes: string;
}

export const ENTITIES = [
  Piece,
  ScanRow,
  PieceState,
  Artifact,
  Step,
  GuidedRun,
  Capture,
  CaptureFrame,
  RememberedSelection,
  SharedViewRow,
  Person,
  Session,
  Invitation,
  Remark,
  Blob,
];
