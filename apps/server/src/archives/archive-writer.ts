import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import type { Readable } from 'node:stream';
import { ConflictException, Injectable } from '@nestjs/common';
import { DataSource, In } from 'typeorm';
import yazl from 'yazl';
import { Artifact, Blob, Piece, PieceState, ScanRow, Step } from '../database/entities.js';
import { BlobStore } from '../storage/blob-store.js';
import { safeName } from './delivered-files.js';
import { ARCHIVE_FORMAT, ARCHIVE_VERSION, type ArchiveContent } from './archive-content.js';
import { endWithStored } from './zip-stream.js';

const { version: PROGRAM } = JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8')) as {
  version: string;
};
const FORMATS = new URL('../../../../docs/formats.md', import.meta.url);

/** Everything of a piece in one file: raw data, results, the whole ledger, checksums, and words for whoever opens it. */
@Injectable()
export class ArchiveWriter {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
  ) {}

  /** What an archive of a piece holds. @throws ConflictException while a step runs */
  async content(pieceId: string): Promise<ArchiveContent> {
    // One look at all of it: what is changed meanwhile is in it as a whole or not at all.
    return this.db.transaction('REPEATABLE READ', async (manager) => {
      const piece = await manager.findOneByOrFail(Piece, { id: pieceId });
      const steps = await manager.find(Step, { where: { pieceId }, order: { number: 'ASC' } });
      if (steps.some((s) => s.status === 'queued' || s.status === 'running'))
        throw new ConflictException('A step is running. Archive once it has come to its end, or cancel it.');
      const artifacts = await manager.find(Artifact, { where: { pieceId }, order: { createdAt: 'ASC', id: 'ASC' } });
      const states = await manager.find(PieceState, { where: { pieceId }, order: { createdAt: 'ASC', id: 'ASC' } });
      const scans = await manager.find(ScanRow, { where: { pieceId }, order: { colorIndex: 'ASC', id: 'ASC' } });
      const shas = new Set([...artifacts.map((a) => a.blobSha256), ...steps.flatMap((s) => s.sourceSha256 ?? [])]);
      const sizes = await manager.find(Blob, { where: { sha256: In([...shas]) }, order: { sha256: 'ASC' } });
      const names = namesOf(artifacts);
      const iso = (d: Date): string => d.toISOString();
      return {
        format: ARCHIVE_FORMAT,
        version: ARCHIVE_VERSION,
        program: PROGRAM,
        piece: {
          id: piece.id,
          name: piece.name,
          note: piece.note,
          stateId: piece.stateId,
          redo: piece.redo,
          plan: piece.plan,
          createdAt: iso(piece.createdAt),
        },
        scans: scans.map(({ pieceId: _p, ...scan }) => scan),
        artifacts: artifacts.map(({ id, kind, blobSha256, facts, stepId, createdAt }) => ({
          id,
          kind,
          blobSha256,
          facts,
          stepId,
          createdAt: iso(createdAt),
        })),
        states: states.map(({ id, parentId, stepId, heads, createdAt }) => ({
          id,
          parentId,
          stepId,
          heads,
          createdAt: iso(createdAt),
        })),
        steps: steps.map((s) => ({
          id: s.id,
          operationId: s.operationId,
          operationVersion: s.operationVersion,
          params: s.params,
          seed: s.seed,
          status: s.status as 'done',
          inputs: s.inputs,
          outputs: s.outputs,
          sourceSha256: s.sourceSha256,
          sourceName: s.sourceName,
          sourceSetup: s.sourceSetup,
          figures: s.figures as never,
          summary: s.summary,
          notes: s.notes,
          error: s.error,
          by: s.by,
          attempt: s.attempt,
          createdAt: iso(s.createdAt),
          startedAt: s.startedAt && iso(s.startedAt),
          finishedAt: iso(s.finishedAt ?? s.createdAt),
        })),
        blobs: sizes.map(({ sha256, bytes }) => ({
          sha256,
          bytes: Number(bytes),
          path: names.get(sha256) ?? `data/${sha256}`,
        })),
      };
    });
  }

  /** The archive as a stream: nothing of it is held but a chunk. An error ends the stream. */
  stream(content: ArchiveContent): Readable {
    const zip = new yazl.ZipFile();
    const text = (name: string, words: string): void => zip.addBuffer(Buffer.from(words), name);
    const json = JSON.stringify(content, undefined, 1);
    const readme = readmeOf(content);
    text('README.txt', readme);
    text('archive.json', json);
    const formats = existsSync(FORMATS) ? readFileSync(FORMATS, 'utf8') : undefined;
    if (formats) text('FORMATS.md', formats);
    const sum = (words: string): string => createHash('sha256').update(words).digest('hex');
    text(
      'checksums.sha256',
      [
        `${sum(readme)}  README.txt`,
        `${sum(json)}  archive.json`,
        ...(formats ? [`${sum(formats)}  FORMATS.md`] : []),
        ...content.blobs.map((b) => `${b.sha256}  ${b.path}`),
        '',
      ].join('\n'),
    );
    return endWithStored(zip, content.blobs, this.blobs);
  }
}

/** Delivered files lie under their own names: the newest of each name under the plain one. */
function namesOf(artifacts: readonly Artifact[]): Map<string, string> {
  const out = new Map<string, string>();
  const taken = new Set<string>();
  for (const { kind, facts, blobSha256 } of [...artifacts].reverse()) {
    if (kind !== 'file' || typeof facts.name !== 'string' || out.has(blobSha256)) continue;
    const name = safeName(facts.name);
    let path = `files/${name}`;
    for (let n = 2; taken.has(path); n++) path = `files/${n} ${name}`;
    taken.add(path);
    out.set(blobSha256, path);
  }
  return out;
}

function readmeOf({ piece, scans, steps, artifacts, blobs }: ArchiveContent): string {
  const files = blobs.filter((b) => b.path.startsWith('files/')).map((b) => `  ${b.path}`);
  return [
    `${piece.name}`,
    ...(piece.note ? [piece.note] : []),
    '',
    'An archive of everything that was captured of this object and made of it: raw data, results, and the ledger of all steps.',
    `${scans.length} scans, ${steps.length} steps, ${artifacts.length} results.`,
    '',
    'archive.json      the piece, its scans, states and steps, and where the bytes of each result lie',
    'data/             those bytes, named by their SHA-256; their layout is told in FORMATS.md',
    'checksums.sha256  check all of it with: sha256sum -c checksums.sha256',
    'files/            what was delivered, to be opened as it is',
    ...(files.length > 0
      ? files
      : ['  (nothing was delivered yet: write the points as E57 and the surface as GLB first)']),
    '',
    'To go on with it, bring this file in on the shelf of an Amber Knit server. All lengths are millimetres.',
    '',
  ].join('\n');
}
