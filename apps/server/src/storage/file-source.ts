import { fstatSync, openSync, readSync } from 'node:fs';
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
