import { Upload } from 'tus-js-client';
import type { Problem } from '@amber-knit/contracts';

export interface UploadJob {
  /** Ends the upload; what was sent can be resumed by sending the same file again. */
  abort(): void;
}

/** The operation that takes the file, with its parameters as JSON. */
export interface UploadMeta {
  pieceId: string;
  setup: string;
  operation: string;
  params: string;
}

interface UploadTold {
  progress: (fraction: number) => void;
  /** It is sent; what it became takes it from here: a step, or a piece. */
  done: (id: string) => void;
  failed: (message: string) => void;
}

/** Sends one file with resume; the server then checks it and adds it as a scan. */
export const uploadScan = (file: File, about: UploadMeta, on: UploadTold): UploadJob =>
  sendFile(file, { ...about }, 'Amber-Step', on);

/** Sends an archive with resume; the server makes the piece of it anew. */
export const uploadArchive = (file: File, on: UploadTold): UploadJob =>
  sendFile(file, { archive: 'yes' }, 'Amber-Piece', on);

function sendFile(
  file: File,
  about: Record<string, string>,
  became: 'Amber-Step' | 'Amber-Piece',
  on: UploadTold,
): UploadJob {
  const upload = new Upload(file, {
    endpoint: '/api/uploads',
    chunkSize: 16 * 1024 * 1024,
    // A server that starts anew, or whose database does, is back within these.
    retryDelays: [0, 1000, 3000, 5000, 10_000],
    removeFingerprintOnSuccess: true,
    metadata: { filename: file.name, ...about },
    // The same file for another piece, or with other answers, is another upload.
    fingerprint: () =>
      Promise.resolve(
        ['amber', file.name, file.type, file.size, file.lastModified, ...Object.values(about)].join('\n'),
      ),
    onProgress: (sent, total) => on.progress(total > 0 ? sent / total : 1),
    onSuccess: ({ lastResponse }) => {
      const id = lastResponse.getHeader(became);
      // Bytes that arrived are nothing yet: only what they became is.
      if (id) on.done(id);
      else on.failed('The server has the file but did not take it up. Add the file again.');
    },
    onError: (e) => on.failed(problemOf(e)),
  });
  upload
    .findPreviousUploads()
    .then((found) => {
      if (found.length > 0) upload.resumeFromPreviousUpload(found[0]);
      upload.start();
    })
    .catch(() => upload.start());
  return { abort: () => void upload.abort() };
}

function problemOf(e: unknown): string {
  const body = (e as { originalResponse?: { getBody(): string } }).originalResponse?.getBody();
  try {
    return (JSON.parse(body ?? '') as Problem).detail;
  } catch {
    return body || 'The upload was interrupted. Add the file again; it goes on where it stopped.';
  }
}
