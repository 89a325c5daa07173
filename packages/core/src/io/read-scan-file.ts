import { GeometryError } from '../runtime/geometry-error.js';
import { readObj } from './obj.js';
import { looksLikePly, readPly } from './ply.js';
import type { ScanFile } from './scan-file.js';
import { looksLikeOff, readOff } from './off.js';
import { looksLikePcd, readPcd } from './pcd.js';
import { looksLikeGlb, readGlb } from './read-glb.js';
import { readStl } from './stl.js';
import { readTextCloud, type ColumnRole } from './text-cloud.js';

/** Endings of the files that can be read as a scan. */
export const SCAN_FILE_ENDINGS = ['ply', 'obj', 'stl', 'glb', 'off', 'pcd', 'xyz', 'pts', 'csv', 'txt', 'asc'] as const;

/** Of these, such as often are something else: taken when named, not when they merely lie in a folder of scans. */
export const EVERYDAY_ENDINGS: readonly string[] = ['csv', 'txt'];

const TEXT_ENDINGS = ['xyz', 'pts', 'csv', 'txt', 'asc'];

/**
 * Reads a scan file of any known format, chosen by its first bytes, then by the ending of its name.
 * Binary glTF is not read here but by `readGlb`, which has to wait for its buffers.
 * @param columns what the columns of a text file hold, where the guess would be wrong
 * @throws GeometryError that names the file's fault
 */
export function readScanFile(bytes: Uint8Array, name: string, columns?: readonly ColumnRole[]): ScanFile {
  if (bytes.length === 0)
    throw new GeometryError('empty-input', `${name} is empty (0 bytes). Export or copy it again.`);
  const ending = /\.([a-z0-9]+)$/i.exec(name)?.[1].toLowerCase() ?? '';
  if (looksLikePly(bytes)) return readPly(bytes);
  if (bytes[0] === 0x50 && bytes[1] === 0x4b) {
    throw new GeometryError('unsupported-format', `${name} is an archive. Unpack it and add the scan files inside.`);
  }
  if (looksLikePcd(bytes) || ending === 'pcd') return readPcd(bytes);
  if (ending === 'off' || (looksLikeOff(bytes) && !TEXT_ENDINGS.includes(ending))) return readOff(bytes);
  if (ending === 'stl') return readStl(bytes);
  if (ending === 'obj') return readObj(bytes);
  if (ending === 'ply') return readPly(bytes);
  if (TEXT_ENDINGS.includes(ending)) return readTextCloud(bytes, columns);
  throw new GeometryError(
    'unsupported-format',
    `${name} is of no known kind. Known are ${SCAN_FILE_ENDINGS.join(', ')}.`,
  );
}

/** Reads a file of any known format, binary glTF too. */
export async function readAnyScanFile(
  bytes: Uint8Array,
  name: string,
  columns?: readonly ColumnRole[],
): Promise<ScanFile> {
  return looksLikeGlb(bytes) ? readGlb(bytes) : readScanFile(bytes, name, columns);
}
