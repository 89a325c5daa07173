import { closeSync, fstatSync, openSync, readSync, writeSync } from 'node:fs';
import type { ByteSource } from '@amber-knit/core/io';

/** A file as a source of bytes. It is opened at once and stays open until the thread ends. */
export function fileSource(path: string): ByteSource {
  const file = openSync(path, 'r');
  return {
    size: fstatSync(file).size,
    read(at, into) {
      let done = 0;
      while (done < into.length) {
        const n = readSync(file, into, done, into.length - done, at + done);
        if (n === 0) break;
        done += n;
      }
      return done;
    },
  };
}

/** Writes parts behind one another into a new file. @returns how many bytes it has */
export function writeParts(path: string, parts: Iterable<Uint8Array>): number {
  const file = openSync(path, 'wx');
  let length = 0;
  try {
    for (const part of parts) {
      for (let at = 0; at < part.length;) at += writeSync(file, part, at);
      length += part.length;
    }
  } finally {
    closeSync(file);
  }
  return length;
}
