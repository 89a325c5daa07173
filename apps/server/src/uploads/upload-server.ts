import { mkdirSync } from 'node:fs';
import { FileStore } from '@tus/file-store';
import { Server, type Upload } from '@tus/server';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import type { RightsService } from '../accounts/rights.service.js';
import type { ServerConfig } from '../config.js';
import { toProblem } from '../problem.filter.js';
import { log } from '../log/log.js';
import { rightToRun } from '../steps/right-to-run.js';
import type { DiskSpace } from '../storage/disk-space.js';
import type { FinishedUpload, UploadFinisher } from './upload-finisher.js';

export const UPLOAD_PATH = '/api/uploads';
/** Uploads that may be under way at once; what was never finished goes after a day. */
const MOST_UNFINISHED = 300;

/**
 * Resumable upload (tus 1.0.0). Metadata: `filename`, `pieceId`, `setup`; `operation` that takes the file (an import if
 * none is named) and its `params` as JSON, or just a `unit`. A finished upload becomes a blob and a step, named in the
 * answer's `Amber-Step`; an archive (`archive`) becomes a piece (`Amber-Piece`). If that went wrong, or its answer was lost, HEAD and a PATCH of no bytes do it again or tell of it.
 */
export function uploadHandler(
  config: ServerConfig,
  finisher: UploadFinisher,
  disk: DiskSpace,
  rights: RightsService,
): RequestHandler {
  mkdirSync(config.uploadDir, { recursive: true });
  const store = new FileStore({ directory: config.uploadDir });
  const server = new Server({
    path: UPLOAD_PATH,
    datastore: store,
    maxSize: config.maxUploadBytes,
    relativeLocation: true,
    // Answers name no origin that may read them: only our own pages do.
    allowedOrigins: [],
    async onUploadCreate(_request, upload) {
      try {
        await mustMayUpload(upload.metadata ?? {}, rights);
        await assertRoom(store, upload, disk);
        return {};
      } catch (e) {
        throw asTusError(e);
      }
    },
    async onUploadFinish(_request, upload) {
      try {
        return { headers: { ...(await finisher.finish(upload)).became } };
      } catch (e) {
        throw asTusError(e);
      }
    },
  });
  return (request: Request, response: Response, next: NextFunction): void => {
    if (request.path !== UPLOAD_PATH && !request.path.startsWith(`${UPLOAD_PATH}/`)) return next();
    const id = request.path.slice(UPLOAD_PATH.length + 1);
    if (request.method !== 'HEAD' || !/^[0-9a-f]{32}$/.test(id)) {
      void server.handle(request, response);
      return;
    }
    complete(id, store, finisher).then(
      (finished) => {
        if (!finished) return server.handle(request, response);
        response.set({
          'Tus-Resumable': '1.0.0',
          'Cache-Control': 'no-store',
          'Upload-Offset': String(finished.bytes),
          'Upload-Length': String(finished.bytes),
          ...finished.became,
        });
        response.status(200).end();
      },
      (e: unknown) => response.status(toProblem(e).status).set('Tus-Resumable', '1.0.0').end(),
    );
  };
}

/** What a complete upload became or becomes now; nothing if it is not complete. */
async function complete(id: string, store: FileStore, finisher: UploadFinisher): Promise<FinishedUpload | undefined> {
  const upload = await store.getUpload(id).catch(() => undefined);
  if (!upload) return finisher.find(id);
  return upload.size !== undefined && upload.offset === upload.size ? finisher.finish(upload) : undefined;
}

/** @throws HttpException if whoever asks may not do with the piece what the upload is for */
async function mustMayUpload(meta: Record<string, string | null>, rights: RightsService): Promise<void> {
  if (meta.archive) return rights.mustMay('begin');
  await rights.mustMay(rightToRun(meta.operation), { table: 'piece', id: meta.pieceId });
}

/** @throws DiskFullError if the disk can't take this upload beside those that are promised room already */
async function assertRoom(store: FileStore, upload: Upload, disk: DiskSpace): Promise<void> {
  const ids = (await store.configstore.list?.()) ?? [];
  if (ids.length >= MOST_UNFINISHED) throw new TooManyUploadsError();
  const others = await Promise.all(ids.map((id) => store.getUpload(id).catch(() => undefined)));
  // A file lies on the disk and then in the database, until it is removed from the disk.
  const wanted = (u: Upload): number => 2 * (u.size ?? 0) - u.offset;
  const promised = others.reduce((sum, u) => sum + (u ? wanted(u) : 0), 0);
  await disk.assertRoomFor(promised + wanted(upload));
}

class TooManyUploadsError extends Error {}

/** An error in the form that the tus server passes on. */
function asTusError(e: unknown): { status_code: number; body: string } {
  const problem =
    e instanceof TooManyUploadsError
      ? {
          type: 'about:blank',
          title: 'Too many requests',
          status: 429,
          detail: `${MOST_UNFINISHED} uploads are under way already. Let some come to their end first.`,
        }
      : toProblem(e);
  if (problem.status === 500) log.error({ err: e }, 'An upload failed.');
  return { status_code: problem.status, body: JSON.stringify(problem) };
}
