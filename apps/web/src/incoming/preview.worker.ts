import { looksLikePly, readScanFile, samplePly, type ByteSource } from '@amber-knit/core/io';

/** A scan file to be looked at before it is stored. */
export interface ToPreview {
  file: File;
  /** Points shown at most. */
  most: number;
}

export type FromPreview = { positions: Float32Array; colors?: Uint8Array } | { failed: string };

/** Reads files at once; workers have it, the types of pages do not. */
declare class FileReaderSync {
  readAsArrayBuffer(blob: Blob): ArrayBuffer;
}

// Reads a scan file in the browser, through a window, and hands on an even part of its points.

/** A file on the user's disk as a source of bytes; only workers may read it at once. */
function sourceOfFile(file: File): ByteSource {
  const reader = new FileReaderSync();
  return {
    size: file.size,
    read(at, into) {
      const part = new Uint8Array(reader.readAsArrayBuffer(file.slice(at, at + into.length)));
      into.set(part);
      return part.length;
    },
  };
}

function preview({ file, most }: ToPreview): Exclude<FromPreview, { failed: string }> {
  const source = sourceOfFile(file);
  const { positions, colors } =
    (looksLikePly(source) ? samplePly(source, most) : undefined) ?? readScanFile(source, file.name);
  const n = positions.length / 3;
  const count = Math.min(n, most);
  const out = { positions: new Float32Array(3 * count), colors: colors && new Uint8Array(3 * count) };
  for (let i = 0; i < count; i++) {
    const from = 3 * Math.floor((i * n) / count);
    for (let k = 0; k < 3; k++) {
      out.positions[3 * i + k] = positions[from + k];
      if (out.colors) out.colors[3 * i + k] = colors![from + k];
    }
  }
  return out;
}

self.onmessage = ({ data }: MessageEvent<ToPreview>): void => {
  const post = (m: FromPreview): void => (self as unknown as Worker).postMessage(m);
  try {
    post(preview(data));
  } catch (e) {
    post({ failed: e instanceof Error ? e.message : String(e) });
  }
};
