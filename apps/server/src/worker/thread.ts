import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { parentPort, workerData } from 'node:worker_threads';
import { allBytes } from '@amber-knit/core/io';
import { decodeDeviation, encodeDeviation } from '@amber-knit/core/stored';
import { createRunContext, GeometryError } from '@amber-knit/core/runtime';
import { findOperation, runOperation, type Figures, type WorkData } from '@amber-knit/operations';
import { ThreadPool } from '@amber-knit/threads';
import type { LightModel, Scan, TexturedMesh } from '@amber-knit/core/geometry';
import {
  decodeDimensions,
  decodeTrust,
  decodePlacements,
  decodePlacings,
  decodeScan,
  decodeSurface,
  encodeDimensions,
  encodeTrust,
  encodePicture,
  encodePlacements,
  encodePlacings,
  encodeScanCloud,
  encodeScanFrames,
  encodeSurface,
  encodeSurroundings,
  type EncodedArtifact,
  type EncodedCloud,
  type StoredScan,
  type WrittenFile,
} from '../storage/artifact-codec.js';
import { DISK_FULL, isDiskFull } from '../storage/disk-space.js';
import { fileSource, writeParts } from '../storage/file-source.js';

/** What the worker process hands to a thread: stored bytes, not objects. */
export interface ThreadJob {
  operationId: string;
  params: Record<string, unknown>;
  seed: number;
  cancelFlag: SharedArrayBuffer;
  scans: StoredScan[];
  placements?: Uint8Array;
  mesh?: Uint8Array;
  model?: Uint8Array;
  light?: Uint8Array;
  dimensions?: Uint8Array;
  trust?: Uint8Array;
  deviation?: Uint8Array;
  surroundings?: { name: string; bytes: Uint8Array };
  placings?: Uint8Array;
  /** An uploaded file, on disk for as long as the job runs. */
  file?: { name: string; path: string };
  /** Where results that are too large to be held may be written; emptied once they are stored. */
  resultsDir: string;
}

/** What comes back: encoded results. Clouds come only for scans that changed. */
export interface ThreadResult {
  figures: Figures;
  summary: string;
  clouds: {
    name: string;
    cloud: EncodedCloud;
    frames?: EncodedArtifact;
    frameCount: number;
    /** It is none of the scans that were read. */
    isNew: boolean;
    /** The scan that a new one was part of. */
    splitFrom?: string;
  }[];
  /** Names of scans that were read and are no longer part of the piece. */
  dropped: string[];
  placements?: EncodedArtifact;
  mesh?: EncodedArtifact;
  model?: EncodedArtifact;
  light?: EncodedArtifact;
  dimensions?: EncodedArtifact;
  trust?: EncodedArtifact;
  deviation?: EncodedArtifact;
  surroundings?: EncodedArtifact;
  placings?: EncodedArtifact;
  picture?: EncodedArtifact;
  file?: { name: string; mediaType: string; bytes: Uint8Array };
}

export type ThreadMessage =
  | { type: 'progress'; fraction: number; stage: string }
  | { type: 'note'; text: string }
  | { type: 'done'; result: ThreadResult }
  | { type: 'failed'; code: string; message: string; facts: Readonly<Record<string, number>> };

/** A file that is read piece by piece; whoever needs all of its bytes gets them. */
function uploadedFile(name: string, path: string): WorkData['file'] {
  const source = fileSource(path);
  return {
    name,
    mediaType: 'application/octet-stream',
    source,
    get bytes() {
      return allBytes(source);
    },
  };
}

setFlagsFromString('--expose-gc');
const collectGarbage = runInNewContext('gc') as () => void;

/** Runs one operation from stored bytes to stored bytes. */
async function runJob(job: ThreadJob, send: (m: ThreadMessage) => void): Promise<ThreadResult> {
  const operation = findOperation(job.operationId);
  const decoded = job.scans.map(decodeScan);
  const scans = decoded.map((d) => d.scan);
  const data: Partial<WorkData> = {
    ...(scans.length > 0 ? { scans } : {}),
    ...(job.placements ? { placements: decodePlacements(job.placements) } : {}),
    ...(job.mesh ? { mesh: decodeSurface(job.mesh) } : {}),
    ...(job.model ? { model: decodeSurface(job.model) as TexturedMesh } : {}),
    ...(job.light ? { light: decodeSurface(job.light) as LightModel } : {}),
    ...(job.dimensions ? { dimensions: decodeDimensions(job.dimensions) } : {}),
    ...(job.trust ? { trust: decodeTrust(job.trust) } : {}),
    ...(job.deviation ? { deviation: decodeDeviation(job.deviation) } : {}),
    ...(job.surroundings
      ? { surroundings: { name: job.surroundings.name, mesh: decodeSurface(job.surroundings.bytes) } }
      : {}),
    ...(job.placings ? { placings: decodePlacings(job.placings) } : {}),
    ...(job.file ? { file: uploadedFile(job.file.name, job.file.path) } : {}),
  };
  const pool = new ThreadPool(availableParallelism());
  const ctx = createRunContext({
    pool,
    seed: job.seed,
    cancelFlag: new Int32Array(job.cancelFlag),
    onProgress: (fraction, stage) => send({ type: 'progress', fraction, stage }),
    onNote: (text) => send({ type: 'note', text }),
  });
  const { outputs, figures } = await runOperation(operation, data, job.params, ctx).finally(() => pool.close());
  ctx.checkpoint(1, 'Storing');
  // What the operation used up goes before its results are packed: large arrays wait long for it otherwise.
  collectGarbage();
  // An operation that takes scans and gives scans says by its result which of them are left.
  const left = operation.needs.includes('scans') ? outputs.scans : undefined;
  const dropped = left ? scans.map((s) => s.name).filter((name) => !left.some((s) => s.name === name)) : [];
  let written = 0;
  const write = (parts: Iterable<Uint8Array>): WrittenFile => {
    const path = join(job.resultsDir, String(written++));
    return { path, length: writeParts(path, parts) };
  };
  const changed = (outputs.scans ?? []).filter((s) => !scans.some((old) => old.cloud === s.cloud));
  return {
    figures,
    summary: operation.summarize(figures),
    clouds: changed.map((s) => ({
      name: s.name,
      cloud: encodeScanCloud(s, decoded.find((d) => d.stored.id === s.storedAs)?.stored, write),
      frames: haveMoved(
        s,
        scans.find((old) => old.name === s.name),
      )
        ? encodeScanFrames(s)
        : undefined,
      frameCount: s.frames?.length ?? 0,
      isNew: !scans.some((old) => old.name === s.name),
      splitFrom: scans.find((old) => old.name !== s.name && old.storedAs !== undefined && old.storedAs === s.storedAs)
        ?.name,
    })),
    dropped,
    placements: outputs.placements && encodePlacements(outputs.placements),
    mesh: outputs.mesh && (await encodeSurface(outputs.mesh)),
    model: outputs.model && (await encodeSurface(outputs.model)),
    light: outputs.light && (await encodeSurface(outputs.light)),
    picture: encodePicture(outputs.model ?? outputs.mesh),
    dimensions: outputs.dimensions && encodeDimensions(outputs.dimensions),
    trust: outputs.trust && encodeTrust(outputs.trust),
    deviation: outputs.deviation && {
      kind: 'deviation',
      bytes: encodeDeviation(outputs.deviation),
      facts: { reference: outputs.deviation.reference, tolerance: outputs.deviation.tolerance },
    },
    surroundings: outputs.surroundings && (await encodeSurroundings(outputs.surroundings)),
    placings: outputs.placings && encodePlacings(outputs.placings),
    file: outputs.file,
  };
}

/** A new scan brings its frames, an old one only if they stand elsewhere now: all else of them never changes. */
const haveMoved = (scan: Scan, old: Scan | undefined): boolean =>
  !old || (scan.frames ?? []).some((f) => old.frames?.every((o) => o.scanFromSensor !== f.scanFromSensor));

/** The memory of all results that are held, each once. */
function buffersOf({ clouds, figures: _f, summary: _s, dropped: _d, ...slots }: ThreadResult): ArrayBuffer[] {
  const encoded = [...clouds.flatMap((c) => [c.cloud, c.frames]), ...Object.values(slots)];
  return [...new Set(encoded.flatMap((e) => (e && !('path' in e.bytes) ? (e.bytes.buffer as ArrayBuffer) : [])))];
}

function failure(e: unknown): ThreadMessage {
  if (e instanceof GeometryError) return { type: 'failed', code: e.code, message: e.message, facts: e.facts };
  if (isDiskFull(e)) return { type: 'failed', code: 'disk-full', message: DISK_FULL, facts: {} };
  return { type: 'failed', code: 'unforeseen', message: e instanceof Error ? e.message : String(e), facts: {} };
}

if (parentPort) {
  const port = parentPort;
  const send = (m: ThreadMessage): void => port.postMessage(m);
  runJob(workerData as ThreadJob, send).then(
    // Handed over, not copied: the results of a large scan fill the memory once as it is.
    (result) => port.postMessage({ type: 'done', result } satisfies ThreadMessage, buffersOf(result)),
    (e: unknown) => send(failure(e)),
  );
}
