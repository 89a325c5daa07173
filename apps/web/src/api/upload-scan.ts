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

/** Sends one file with resume; the server then checks it and adds it as a scan. */
export function uploadScan(
  file: File,
  about: UploadMeta,
  on: {
    progress: (fraction: number) => void;
    /** It is sent; the step named takes it from here. */
    done: (stepId: string) => void;
    failed: (message: string) => void;
  },
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
      const step = lastResponse.getHeader('Amber-Step');
      // Bytes that arrived are no scan yet: only a step is.
      if (step) on.done(step);
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
