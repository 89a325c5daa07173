import 'reflect-metadata';
import { plainToInstance, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsIn,
  IsInt,
  IsISO8601,
  IsObject,
  IsOptional,
  IsString,
  IsUUID,
  Matches,
  MaxLength,
  Min,
  ValidateBy,
  ValidateNested,
  validateSync,
  type ValidationError,
} from 'class-validator';
import { ARTIFACT_KINDS } from '@amber-knit/contracts';
import { GeometryError } from '@amber-knit/core/runtime';
import type { Heads } from '../database/entities.js';
import { PlanBody } from '../pieces/plan-body.js';

/** Raised when an older program could not read it. */
export const ARCHIVE_VERSION = 1;
export const ARCHIVE_FORMAT = 'amber-knit piece';

/** What is served of an artifact besides plain bytes: nothing that a browser would run. */
const MEDIA = /^(image\/(png|gif)|model\/[a-z0-9-]+|application\/(octet-stream|zip)|text\/plain)$/;
const SHA = /^[0-9a-f]{64}$/;
const MOST_ROWS = 100_000;

/** Facts are short values by name; a media type among them is one that is served safely. */
const Facts = (): PropertyDecorator =>
  ValidateBy({
    name: 'areFacts',
    validator: {
      validate: (value: unknown) =>
        typeof value === 'object' &&
        value !== null &&
        !Array.isArray(value) &&
        Object.values(value).every((v) => ['number', 'boolean', 'string'].includes(typeof v)) &&
        (!('mediaType' in value) || (MEDIA.test(String(value.mediaType)) && 'name' in value)),
      defaultMessage: () => '$property are not facts of an artifact',
    },
  });

export class ArchivedScan {
  @IsUUID() id: string;
  @IsString() @MaxLength(200) name: string;
  @IsString() @MaxLength(200) setup: string;
  @IsInt() @Min(0) colorIndex: number;
  @IsInt() @Min(0) frames: number;
  @IsUUID() originalId: string;
  @IsOptional() @IsUUID() framesId: string | null;
}

export class ArchivedArtifact {
  @IsUUID() id: string;
  @IsIn(ARTIFACT_KINDS) kind: (typeof ARTIFACT_KINDS)[number];
  @Matches(SHA) blobSha256: string;
  @Facts() facts: Record<string, number | string | boolean>;
  @IsOptional() @IsUUID() stepId: string | null;
  @IsISO8601() createdAt: string;
}

export class ArchivedState {
  @IsUUID() id: string;
  @IsOptional() @IsUUID() parentId: string | null;
  @IsOptional() @IsUUID() stepId: string | null;
  @IsObject() heads: Heads;
  @IsISO8601() createdAt: string;
}

export class ArchivedStep {
  @IsUUID() id: string;
  @IsString() @MaxLength(100) operationId: string;
  @IsInt() @Min(0) operationVersion: number;
  @IsObject() params: Record<string, unknown>;
  @IsInt() @Min(0) seed: number;
  @IsIn(['done', 'failed', 'cancelled']) status: 'done' | 'failed' | 'cancelled';
  @IsUUID('all', { each: true }) inputs: string[];
  @IsUUID('all', { each: true }) outputs: string[];
  @IsOptional() @Matches(SHA) sourceSha256: string | null;
  @IsOptional() @IsString() @MaxLength(300) sourceName: string | null;
  @IsOptional() @IsString() @MaxLength(200) sourceSetup: string | null;
  @IsOptional() @IsObject() figures: Record<string, never> | null;
  @IsOptional() @IsString() summary: string | null;
  @IsString({ each: true }) notes: string[];
  @IsOptional() @IsString() error: string | null;
  /** Missing in older archives. */
  @IsOptional() @IsString() @MaxLength(120) by?: string | null;
  @IsInt() @Min(0) attempt: number;
  @IsISO8601() createdAt: string;
  @IsOptional() @IsISO8601() startedAt: string | null;
  @IsISO8601() finishedAt: string;
}

export class ArchivedBlob {
  @Matches(SHA) sha256: string;
  @IsInt() @Min(0) bytes: number;
  /** Where it lies in the archive. */
  @IsString() @MaxLength(400) path: string;
}

export class ArchivedPiece {
  @IsUUID() id: string;
  @IsString() @MaxLength(200) name: string;
  @IsString() @MaxLength(1000) note: string;
  @IsOptional() @IsUUID() stateId: string | null;
  @IsUUID('all', { each: true }) redo: string[];
  @IsOptional() @ValidateNested() @Type(() => PlanBody) plan: PlanBody | null;
  @IsISO8601() createdAt: string;
}

/** A piece with its whole ledger as it lies in an archive (`archive.json`, docs/formats.md); bytes lie beside it. */
export class ArchiveContent {
  @IsIn([ARCHIVE_FORMAT]) format: string;
  @IsInt() @Min(1) version: number;
  @IsString() program: string;
  @ValidateNested() @Type(() => ArchivedPiece) piece: ArchivedPiece;
  @IsArray() @ArrayMaxSize(MOST_ROWS) @ValidateNested({ each: true }) @Type(() => ArchivedScan) scans: ArchivedScan[];
  @IsArray()
  @ArrayMaxSize(MOST_ROWS)
  @ValidateNested({ each: true })
  @Type(() => ArchivedArtifact)
  artifacts: ArchivedArtifact[];
  @IsArray()
  @ArrayMaxSize(MOST_ROWS)
  @ValidateNested({ each: true })
  @Type(() => ArchivedState)
  states: ArchivedState[];
  /** Oldest first. */
  @IsArray() @ArrayMaxSize(MOST_ROWS) @ValidateNested({ each: true }) @Type(() => ArchivedStep) steps: ArchivedStep[];
  @IsArray() @ArrayMaxSize(MOST_ROWS) @ValidateNested({ each: true }) @Type(() => ArchivedBlob) blobs: ArchivedBlob[];
}

const broken = (what: string): GeometryError =>
  new GeometryError('corrupt-file', `The archive can’t be brought in: ${what}. Nothing was changed; make it anew.`);

/** @throws GeometryError `corrupt-file` that names what is wrong; `unsupported-format` for one of a newer program */
export function readArchiveContent(json: string): ArchiveContent {
  let plain: unknown;
  try {
    plain = JSON.parse(json);
  } catch {
    throw broken('its list of contents is not readable');
  }
  if (typeof plain !== 'object' || plain === null || (plain as { format?: unknown }).format !== ARCHIVE_FORMAT)
    throw new GeometryError('unsupported-format', 'The file is no archive of a piece.');
  if (Number((plain as { version?: unknown }).version) > ARCHIVE_VERSION)
    throw new GeometryError('unsupported-format', 'The archive was made by a newer version. Update this server first.');
  const content = plainToInstance(ArchiveContent, plain);
  const [fault] = validateSync(content, { whitelist: true, forbidUnknownValues: true });
  if (fault) throw broken(faultText(fault));
  const unknown = strayName(content);
  if (unknown) throw broken(unknown);
  return content;
}

function faultText({ property, constraints, children }: ValidationError): string {
  if (constraints) return Object.values(constraints)[0];
  return children?.[0] ? `${property}: ${faultText(children[0])}` : `${property} is not valid`;
}

/** What is named and not there, in words. */
function strayName({ piece, scans, artifacts, states, steps, blobs }: ArchiveContent): string | undefined {
  const ids = new Set(artifacts.map((a) => a.id));
  const known = new Set(blobs.map((b) => b.sha256));
  const stateIds = new Set(states.map((s) => s.id));
  const stepIds = new Set(steps.map((s) => s.id));
  for (const rows of [artifacts, states, steps, scans])
    if (new Set<string>(rows.map((r) => r.id)).size < rows.length) return 'something is in it twice';
  for (const a of artifacts) if (!known.has(a.blobSha256)) return `the bytes of a ${a.kind} are not in it`;
  for (const s of steps)
    if (s.sourceSha256 && !known.has(s.sourceSha256)) return `the file that ${s.operationId} began with is not in it`;
  const named = [
    ...scans.flatMap((s) => [s.originalId, s.framesId]),
    ...states.flatMap(({ heads: { clouds, labels: _labels, frames, ...slots } }) => [
      ...Object.values(clouds ?? {}),
      ...Object.values(frames ?? {}),
      ...Object.values(slots),
    ]),
  ];
  if (named.some((id) => id && !ids.has(id))) return 'a result that it names is not in it';
  const stateNames = [piece.stateId, ...piece.redo, ...states.map((s) => s.parentId)];
  if (stateNames.some((id) => id && !stateIds.has(id))) return 'a state that it names is not in it';
  if (artifacts.some((a) => a.stepId && !stepIds.has(a.stepId))) return 'a step that it names is not in it';
  return undefined;
}
