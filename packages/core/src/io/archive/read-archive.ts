import { unzipSync } from 'fflate';
import { GeometryError } from '../../runtime/geometry-error.js';
import { allBytes, firstBytes, type Bytes } from '../byte-source.js';

const MOST_FILES = 20_000;
const LARGEST_TOTAL = 4 * 1024 * 1024 * 1024;
/** Deflate can't pack more densely; an archive that claims more is a bomb. */
const MOST_PER_BYTE = 1040;

/** True if the bytes begin like a zip archive. */
export function looksLikeZip(bytes: Bytes): boolean {
  const [p, k, a, b] = firstBytes(bytes, 4);
  return p === 0x50 && k === 0x4b && ((a === 3 && b === 4) || (a === 5 && b === 6));
}

/**
 * Unpacks an archive in memory: its files by their paths, with forward slashes. Folders, hidden files and what computers
 * put in by themselves are passed over. Nothing is written anywhere, so paths that lead outside do no harm.
 * Source: PKWARE (2022), .ZIP file format specification (APPNOTE).
 * @throws GeometryError `corrupt-file`, `too-large` if it would unpack beyond all need, `empty-input`
 */
export function readArchive(bytes: Bytes, name: string): Map<string, Uint8Array> {
  const packed = allBytes(bytes);
  let total = 0;
  let count = 0;
  let unpacked: Record<string, Uint8Array>;
  try {
    unpacked = unzipSync(packed, {
      filter: (entry) => {
        if (isClutter(entry.name)) return false;
        total += entry.originalSize;
        count++;
        if (count > MOST_FILES || total > LARGEST_TOTAL || entry.originalSize > MOST_PER_BYTE * (entry.size + 16)) {
          throw new GeometryError(
            'too-large',
            `${name} would unpack to more than an archive of scans needs (at most ${MOST_FILES} files, 4 GB). Split it.`,
          );
        }
        return true;
      },
    });
  } catch (error) {
    if (error instanceof GeometryError) throw error;
    throw new GeometryError('corrupt-file', `${name} can't be unpacked: it is cut off or damaged. Pack it again.`);
  }
  const files = new Map(Object.entries(unpacked).map(([path, data]) => [path.replaceAll('\\', '/'), data]));
  if (files.size === 0) throw new GeometryError('empty-input', `${name} holds no files.`);
  return files;
}

function isClutter(path: string): boolean {
  return path.endsWith('/') || path.split(/[\\/]/).some((part) => part.startsWith('.') || part === '__MACOSX');
}
