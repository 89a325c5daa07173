import { mkdirSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { FileStore } from '@tus/file-store';
import { Server } from '@tus/server';
import type { ServerConfig } from '../config.js';
import type { StepsService } from '../steps/steps.service.js';
import type { BlobStore } from '../storage/blob-store.js';
import { GeometryError } from '@amber-knit/core/runtime';
import { toProblem } from '../problem.filter.js';

export const UPLOAD_PATH = '/api/uploads';

/**
 * Resumable upload (tus 1.0.0). Metadata: `filename`, `pieceId`, `setup`; `operation` that takes the file (an import if
 * none is named) and its `params` as JSON, or just a `unit`. A finished upload becomes a blob and a step; its file is then
 * removed.
 */
export function createUploadServer(config: ServerConfig, blobs: BlobStore, steps: StepsService): Server {
  mkdirSync(config.uploadDir, { recursive: true });
  return new Server({
    path: UPLOAD_PATH,
    datastore: new FileStore({ directory: config.uploadDir }),
    maxSize: config.maxUploadBytes,
    relativeLocation: true,
    async onUploadFinish(_request, upload) {
      const meta = upload.metadata ?? {};
      const file = join(config.uploadDir, upload.id);
      try {
        const sha256 = await blobs.putFile(file);
        const step = await steps.enqueue(meta.pieceId ?? '', meta.operation || 'capture.import', paramsOf(meta), 1, {
          sha256,
          name: meta.filename ?? 'scan',
          setup: (meta.setup ?? '').slice(0, 80) || 'Setup 1',
        });
        await rm(file, { force: true });
        await rm(`${file}.json`, { force: true });
        return { headers: { 'Amber-Step': step.id } };
      } catch (e) {
        const problem = toProblem(e);
        throw { status_code: problem.status, body: JSON.stringify(problem) };
      }
    },
  });
}

/** Parameters that came with an upload. @throws GeometryError `invalid-parameter` if they are no JSON object */
function paramsOf(meta: Record<string, string | null>): Record<string, unknown> {
  if (!meta.params) return meta.unit ? { unit: meta.unit } : {};
  try {
    const params: unknown = JSON.parse(meta.params);
    if (typeof params === 'object' && params !== null && !Array.isArray(params))
      return params as Record<string, unknown>;
  } catch {
    // Said below.
  }
  throw new GeometryError('invalid-parameter', 'The parameters that came with the upload are not a JSON object.');
}
