import { GeometryError } from '../../runtime/geometry-error.js';
import { PartOfSource, firstBytes, sourceOf, type Bytes, type ByteSource } from '../byte-source.js';
import { DeflatedSource } from './packed-source.js';
import { contentStart, readZipDirectory, type ZipEntry } from './zip-directory.js';

const STORED = 0;
const DEFLATED = 8;
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
 * The files of an archive by their paths, with forward slashes; they are unpacked when and as far as they are read. Folders,
 * hidden files and what computers put in by themselves are passed over. Nothing is written anywhere, so paths that lead
 * outside do no harm.
 * @throws GeometryError `corrupt-file`, `too-large` if it would unpack beyond all need, `unsupported-format` for packing
 * that is not known, `empty-input`
 */
export function readArchive(bytes: Bytes, name: string): Map<string, ByteSource> {
  const source = sourceOf(bytes);
  const files = new Map<string, ByteSource>();
  let total = 0;
  try {
    for (const entry of readZipDirectory(bytes)) {
      if (isClutter(entry.path)) continue;
      total += entry.size;
      if (files.size >= MOST_FILES || total > LARGEST_TOTAL || entry.size > MOST_PER_BYTE * (entry.packedSize + 16)) {
        throw new GeometryError(
          'too-large',
          `${name} would unpack to more than an archive of scans needs (at most ${MOST_FILES} files, 4 GB). Split it.`,
        );
      }
      files.set(entry.path.replaceAll('\\', '/'), contentOf(entry, source, name));
    }
  } catch (error) {
    if (error instanceof GeometryError && error.code !== 'corrupt-file') throw error;
    throw new GeometryError('corrupt-file', `${name} can't be unpacked: it is cut off or damaged. Pack it again.`);
  }
  if (files.size === 0) throw new GeometryError('empty-input', `${name} holds no files.`);
  return files;
}

function contentOf(entry: ZipEntry, source: ByteSource, name: string): ByteSource {
  if (entry.locked)
    throw new GeometryError('unsupported-format', `${name} is locked with a password. Pack it again without one.`);
  const start = contentStart(source, entry);
  const packed = new PartOfSource(source, start, Math.min(entry.packedSize, source.size - start));
  if (entry.method === STORED) return packed;
  if (entry.method === DEFLATED) return new DeflatedSource(packed, entry.size, entry.path);
  throw new GeometryError(
    'unsupported-format',
    `${name} is packed by a method that is not known (${entry.method}). Pack it as an ordinary zip.`,
  );
}

function isClutter(path: string): boolean {
  return path.endsWith('/') || path.split(/[\\/]/).some((part) => part.startsWith('.') || part === '__MACOSX');
}
