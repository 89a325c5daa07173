import { readdir, readFile, stat } from 'node:fs/promises';
import { basename, dirname, extname, join, relative, resolve } from 'node:path';
import { boundsOf, type Scan, type TriangleMesh } from '@amber-knit/core/geometry';
import { EVERYDAY_ENDINGS, SCAN_FILE_ENDINGS } from '@amber-knit/core/io';
import { estimateSpacing } from '@amber-knit/core/pointcloud';
import { GeometryError } from '@amber-knit/core/runtime';
import { scanFromFolder, scansFromFile, surfaceFromFile, type Unit } from '@amber-knit/operations';
import { InputError } from './usage-error.js';

export interface LoadOptions {
  /** Unit of the files; absent = millimetres, checked for plausibility. */
  units?: Unit;
  /** Where the sensor stood in files: the origin, nowhere known, or guessed from how the points lie. */
  viewpoint: 'auto' | 'origin' | 'none';
}

export interface LoadedInputs {
  scans: Scan[];
  notes: string[];
}

/** Largest file that is read, bytes. */
const MAX_FILE = 4 * 1024 ** 3;

/** Reads files, folders of files and RGB-D folders as loose scans, in millimetres; several folders are setups. @throws InputError naming the input */
export async function loadInputs(paths: string[], options: LoadOptions): Promise<LoadedInputs> {
  const sources = (await Promise.all(paths.map(expand))).flat();
  if (sources.length === 0)
    throw new InputError(
      paths.join(', '),
      `no scan files found (known: ${SCAN_FILE_ENDINGS.join(', ')}, RGB-D folders)`,
    );
  // Whoever sorted the scans into folders has one for each setup; a single folder says nothing.
  const folders = new Set(sources.map((s) => folderOf(s.path)));
  const scans: Scan[] = [];
  const notes: string[] = [];
  const taken = new Set<string>();
  for (const source of sources) {
    try {
      const read = source.folder ? await loadFolder(source.path) : await loadFile(source.path, options);
      for (const scan of read.scans) {
        let name = scan.name;
        for (let k = 2; taken.has(name); k++) name = `${scan.name}_${k}`;
        taken.add(name);
        scans.push({ ...scan, name, ...(folders.size > 1 ? { setup: folderOf(source.path) } : {}) });
      }
      notes.push(...read.notes.map((r) => `${basename(source.path)}: ${r}`));
    } catch (e) {
      if (e instanceof GeometryError) throw new InputError(source.path, e.message);
      throw e;
    }
  }
  return { scans, notes };
}

/** Reads the surface of one file, in millimetres. @throws InputError naming the file */
export async function loadSurface(path: string, unit: Unit): Promise<{ mesh: TriangleMesh; notes: string[] }> {
  try {
    return await surfaceFromFile(await readInput(path), basename(path), unit);
  } catch (e) {
    if (e instanceof GeometryError) throw new InputError(path, e.message);
    throw e;
  }
}

/** Name of the folder that a file or an RGB-D folder lies in. */
const folderOf = (path: string): string => basename(dirname(resolve(path)));

async function expand(path: string): Promise<{ path: string; folder: boolean }[]> {
  let info;
  try {
    info = await stat(path);
  } catch {
    throw new InputError(path, 'no such file or folder');
  }
  if (info.isFile()) return [{ path, folder: false }];
  const names = (await readdir(path)).sort();
  if (names.includes('intrinsics.json')) return [{ path, folder: true }];
  const files = names.filter((n) => {
    const ending = extname(n).slice(1).toLowerCase();
    return (SCAN_FILE_ENDINGS.includes(ending) || ending === 'zip') && !EVERYDAY_ENDINGS.includes(ending);
  });
  const folders: { path: string; folder: boolean }[] = [];
  for (const n of names) {
    const inner = join(path, n);
    if ((await stat(inner)).isDirectory() && (await readdir(inner)).includes('intrinsics.json'))
      folders.push({ path: inner, folder: true });
  }
  return [...files.map((n) => ({ path: join(path, n), folder: false })), ...folders];
}

async function loadFile(path: string, options: LoadOptions): Promise<{ scans: Scan[]; notes: string[] }> {
  const bytes = await readInput(path);
  return scansFromFile(bytes, basename(path), { unit: options.units ?? 'auto', viewpoint: options.viewpoint });
}

/** The bytes of a file. @throws InputError */
export async function readInput(path: string): Promise<Uint8Array> {
  let size;
  try {
    ({ size } = await stat(path));
  } catch {
    throw new InputError(path, 'no such file or folder');
  }
  if (size > MAX_FILE) throw new GeometryError('too-large', `the file has ${size} bytes; at most ${MAX_FILE} are read`);
  return new Uint8Array(await readFile(path));
}

async function loadFolder(path: string): Promise<{ scans: Scan[]; notes: string[] }> {
  const files = new Map<string, Uint8Array>();
  for (const entry of await readdir(path, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile()) continue;
    const full = join(entry.parentPath ?? entry.path, entry.name);
    files.set(relative(path, full).split('\\').join('/'), new Uint8Array(await readFile(full)));
  }
  return { scans: [await scanFromFolder(files, basename(path))], notes: [] };
}

/** Facts about one input, for `info`. */
export function describeScan(scan: Scan): Record<string, unknown> {
  const b = boundsOf(scan.cloud.positions);
  return {
    points: scan.cloud.positions.length / 3,
    frames: scan.frames?.length ?? 0,
    extentsMm: [0, 1, 2].map((k) => Number((b.max[k] - b.min[k]).toFixed(3))),
    spacingMm: Number(estimateSpacing(scan.cloud).toFixed(4)),
    colours: scan.cloud.colors !== undefined,
    normals: scan.cloud.normals !== undefined,
    sensor: scan.frames ? 'from frames' : scan.viewpoints ? 'at the origin' : 'unknown',
  };
}
