import { GeometryError } from '../runtime/geometry-error.js';
import { looksLikeZip, readArchive } from './archive/read-archive.js';
import {
  COMPANIONS,
  contentOf,
  endingOf,
  filesOf,
  withMaterials,
  type ArchiveFiles,
} from './archive/scans-in-archive.js';
import { firstBytes, sourceOf, type Bytes } from './byte-source.js';
import { looksLikeE57 } from './e57/pages.js';
import { readE57 } from './e57/read-e57.js';
import { looksLikeGlb, readGltf } from './gltf/read-gltf.js';
import { readObj } from './obj/read-obj.js';
import { looksLikeOff, readOff } from './off/read-off.js';
import { looksLikePcd, readPcd } from './pcd/read-pcd.js';
import { looksLikePly, readPly } from './ply/read-ply.js';
import { readRgbdScan } from './rgbd/rgbd-folder.js';
import type { ScanFile } from './scan-file.js';
import { looksStored, readStoredSurface } from './read-stored-surface.js';
import { readStl } from './stl/stl.js';
import { isPackage3mf, read3mf } from './three-mf/read-3mf.js';
import { readTextCloud } from './text/read-text-cloud.js';
import type { ColumnRole } from './text/text-layout.js';

/** Endings of text files that may hold points. */
export const TEXT_ENDINGS: readonly string[] = ['xyz', 'pts', 'csv', 'txt', 'asc'];

/** Endings of the files that can be read as a scan. */
export const SCAN_FILE_ENDINGS: readonly string[] = [
  ...['ply', 'obj', 'stl', 'glb', 'gltf', 'off', 'pcd', 'e57', '3mf'],
  ...TEXT_ENDINGS,
];

/** Of these, such as often are something else: taken when named, not when they merely lie in a folder of scans. */
export const EVERYDAY_ENDINGS: readonly string[] = ['csv', 'txt'];

export interface ReadOptions {
  /** What the columns of a text file hold, where the guess would be wrong. */
  columns?: readonly ColumnRole[];
  /** Told the share that is read, where a format takes long. */
  step?: (fraction: number) => void;
}

/**
 * Reads all scans of a file of any known kind, chosen by its first bytes, then by the ending of its name. An archive
 * gives the scans in it: scan files with the materials and pictures beside them, folders of depth pictures.
 * @throws GeometryError that names the fault
 */
export async function readScanFiles(bytes: Bytes, name: string, options: ReadOptions = {}): Promise<ScanFile[]> {
  if (sourceOf(bytes).size === 0)
    throw new GeometryError('empty-input', `${name} is empty (0 bytes). Export or copy it again.`);
  if (looksLikeZip(bytes)) {
    const files = readArchive(bytes, name);
    return isPackage3mf(files) ? [read3mf(files)] : readArchived(files, name, options);
  }
  if (looksStored(bytes)) return [readStoredSurface(bytes)];
  if (looksLikeE57(bytes)) return readE57(bytes, options.step);
  if (looksLikeGlb(bytes)) return [await readGltf(bytes)];
  if (endingOf(name) === 'gltf') return [await readGltf(bytes, new Map())];
  return [readScanFile(bytes, name, options.columns)];
}

/**
 * Reads a file that holds one scan and stands for itself.
 * @throws GeometryError that names the file's fault
 */
export function readScanFile(bytes: Bytes, name: string, columns?: readonly ColumnRole[]): ScanFile {
  const ending = endingOf(name);
  if (looksLikePly(bytes) || ending === 'ply') return readPly(bytes);
  if (looksLikePcd(bytes) || ending === 'pcd') return readPcd(bytes);
  if (ending === 'off' || (looksLikeOff(bytes) && !TEXT_ENDINGS.includes(ending))) return readOff(bytes);
  if (ending === 'stl') return readStl(bytes);
  if (ending === 'obj') return readObj(bytes);
  if (TEXT_ENDINGS.includes(ending)) return readTextCloud(bytes, columns);
  const packed = packerOf(firstBytes(bytes, 6));
  if (packed)
    throw new GeometryError('unsupported-format', `${name} is packed as ${packed}. Unpack it, or pack it as zip.`);
  throw new GeometryError(
    'unsupported-format',
    `${name} is of no known kind. Known are ${SCAN_FILE_ENDINGS.join(', ')}, and zip archives of them.`,
  );
}

function packerOf(head: Uint8Array): string | undefined {
  const begins = (...bytes: number[]): boolean => bytes.every((b, i) => head[i] === b);
  if (begins(0x1f, 0x8b)) return 'gzip';
  if (begins(0x37, 0x7a, 0xbc, 0xaf)) return '7z';
  if (begins(0x52, 0x61, 0x72, 0x21)) return 'RAR';
  return undefined;
}

async function readArchived(files: ArchiveFiles, name: string, { columns, step }: ReadOptions): Promise<ScanFile[]> {
  const content = contentOf(files, SCAN_FILE_ENDINGS);
  const several = content.scans.length > 1;
  // Beside other scans, lists and letters are passed over; alone, a list may be the scan.
  const scans = several ? content.scans.filter((p) => !EVERYDAY_ENDINGS.includes(endingOf(p))) : content.scans;
  const total = scans.length + content.rgbdFolders.length;
  if (total === 0) {
    throw new GeometryError(
      'empty-input',
      `${name} holds no scan: none of its ${files.size} files is of a known kind (${SCAN_FILE_ENDINGS.join(', ')}).`,
    );
  }
  const out: ScanFile[] = [];
  for (const folder of content.rgbdFolders) {
    out.push(named(readRgbdScan(filesOf(files, folder)), folder.replace(/\/$/, '')));
    step?.(out.length / total);
  }
  for (const path of scans) {
    for (const file of await readOne(path, files, columns)) out.push(file.name ? file : named(file, path));
    step?.(out.length / total);
  }
  if (content.others.length > 0) {
    const some = content.others.slice(0, 5).join(', ');
    out[0].notes.push(`Passed over in the archive: ${some}${content.others.length > 5 ? ' and others' : ''}.`);
  }
  return out;
}

async function readOne(path: string, files: ArchiveFiles, columns?: readonly ColumnRole[]): Promise<ScanFile[]> {
  const bytes = files.get(path)!;
  try {
    if (looksLikeE57(bytes)) return readE57(bytes);
    if (looksLikeGlb(bytes)) return [await readGltf(bytes)];
    if (endingOf(path) === '3mf') return [read3mf(readArchive(bytes, path))];
    if (endingOf(path) === 'gltf') return [await readGltf(bytes, companionsOf(path, files))];
    return [withMaterials(readScanFile(bytes, path, columns), path, files)];
  } catch (error) {
    // One bad file refuses the archive as a whole: which one has to be known.
    if (error instanceof GeometryError && !error.message.startsWith(path))
      throw new GeometryError(error.code, `${path}: ${error.message}`);
    throw error;
  }
}

/** Named after its place in the archive. */
function named(file: ScanFile, path: string): ScanFile {
  const name = path.replace(/^.*\//, '').replace(/\.[^.]*$/, '');
  return name ? { ...file, name } : file;
}

/** The files beside one that it may name. */
function companionsOf(path: string, files: ArchiveFiles): ArchiveFiles {
  const beside = filesOf(files, path.slice(0, path.lastIndexOf('/') + 1));
  return new Map([...beside].filter(([p]) => COMPANIONS.test(p)));
}
