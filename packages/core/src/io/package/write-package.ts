import { zipSync, type Zippable } from 'fflate';

/** A file of a package; text or bytes. Folders are part of its name, with slashes. */
export interface PackedFile {
  name: string;
  content: Uint8Array | string;
}

/** What is packed already gains nothing by being packed again. */
const PACKED = /\.(png|jpe?g|glb|3mf|zip|gif)$/i;

/** Several files as one zip. O(bytes). */
export function writePackage(files: readonly PackedFile[]): Uint8Array {
  const entries: Zippable = {};
  for (const { name, content } of files)
    entries[name] = [
      typeof content === 'string' ? new TextEncoder().encode(content) : content,
      { level: PACKED.test(name) ? 0 : 6 },
    ];
  return zipSync(entries);
}
