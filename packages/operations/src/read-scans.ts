import { boundsOf, diagonalOf, vertexNormals, type Placement, type Scan } from '@amber-knit/core/geometry';
import type { ArchiveFiles, Bytes, ScanFile } from '@amber-knit/core/io';
import type { Vec3 } from '@amber-knit/core/math';
import { GeometryError } from '@amber-knit/core/runtime';
import { UNITS, type Unit } from './units.js';

export interface ReadScansOptions {
  /** Name of the scan if the file holds just one; if empty, the one it has inside, else the file's. */
  name?: string;
  unit: Unit | 'auto';
  viewpoint: 'auto' | 'origin' | 'none';
  columns?: string;
  /** Longest side of the object as it was planned, mm; 0 if not known. */
  expected?: number;
  step?: (fraction: number) => void;
}

export interface ReadScans {
  scans: Scan[];
  /** Where the file says they stand; absent if it says nothing. */
  placements?: Placement[];
  notes: string[];
}

/** Fewer points are no scan. */
const LEAST_POINTS = 100;

/**
 * Reads all scans of a file or archive into millimetres.
 * @throws GeometryError that names the fault: broken file, too few points; `unit-doubtful` for a size that betrays a
 *   wrong unit, with the fact `across`
 */
export async function scansFromFile(bytes: Bytes, fileName: string, options: ReadScansOptions): Promise<ReadScans> {
  const { parseColumns, readScanFiles } = await import('@amber-knit/core/io');
  const columns = parseColumns(options.columns ?? '');
  return scansOf(await readScanFiles(bytes, fileName, { columns, step: options.step }), fileName, options);
}

/** Reads a folder of depth pictures as a scan with frames. @throws GeometryError that names the fault */
export async function scanFromFolder(files: ArchiveFiles, name: string): Promise<Scan> {
  const { readRgbdScan } = await import('@amber-knit/core/io');
  const { scans } = await scansOf([readRgbdScan(files)], name, { name, unit: 'auto', viewpoint: 'none' });
  return scans[0];
}

async function scansOf(files: ScanFile[], fileName: string, options: ReadScansOptions): Promise<ReadScans> {
  const base = fileName.replace(/^.*[\\/]/, '').replace(/\.[^.]*$/, '');
  const notes: string[] = [];
  const scans: Scan[] = [];
  const placements: Placement[] = [];
  const taken = new Set<string>();
  files.forEach((file) => assertScan(file, file.name ?? base));
  if (options.unit === 'auto') assertPlausibleUnit(files, options.expected ?? 0);
  for (const file of files) {
    const own = ((files.length === 1 && options.name) || file.name || base).slice(0, 80);
    let name = own;
    for (let k = 2; taken.has(name); k++) name = `${own} ${k}`;
    taken.add(name);
    scans.push(await scanOf(file, name, options));
    notes.push(...file.notes.map((n) => (files.length === 1 ? n : `${name}: ${n}`)));
    if (file.pieceFromScan) placements.push({ name, state: 'placed', pieceFromScan: file.pieceFromScan });
  }
  return { scans, notes, ...(placements.length > 1 ? { placements } : {}) };
}

/** @throws GeometryError for a file with too few points, or with all of them in one place */
function assertScan({ positions, frames }: ScanFile, name: string): void {
  if (frames) return;
  if (positions.length / 3 < LEAST_POINTS) {
    throw new GeometryError(
      'empty-input',
      `${name} holds ${positions.length / 3} points; at least ${LEAST_POINTS} are needed. Check that the scan was saved completely.`,
    );
  }
  if (diagonalOf(boundsOf(positions)) === 0)
    throw new GeometryError('degenerate', `All points of ${name} lie in one place. Export it again.`);
}

async function scanOf(file: ScanFile, name: string, options: ReadScansOptions): Promise<Scan> {
  if (file.frames) return { name, cloud: await cloudOfFrames(file.frames), frames: file.frames };
  const factor = factorOf(file, options.unit);
  const positions = factor === 1 ? file.positions : file.positions.map((v) => v * factor);
  const normals = file.normals ?? (file.indices ? vertexNormals({ positions, indices: file.indices }) : undefined);
  return {
    name,
    cloud: { positions, normals, colors: file.colors },
    ...(viewpointOf(file, positions, options) ?? {}),
  };
}

async function cloudOfFrames(frames: NonNullable<ScanFile['frames']>): Promise<Scan['cloud']> {
  const { footprintOf, joinFrames } = await import('@amber-knit/core/pointcloud');
  const cell = footprintOf(frames[0]);
  if (!(cell > 0)) throw new GeometryError('empty-input', 'The first depth picture holds no measured pixel.');
  return joinFrames(frames, cell);
}

/** Where the sensor stood: as the file has it, as was said, or as the points look. */
function viewpointOf(
  file: ScanFile,
  positions: Float32Array,
  { viewpoint }: ReadScansOptions,
): Pick<Scan, 'viewpoints'> | undefined {
  if (viewpoint === 'none') return undefined;
  if (file.viewpoints) return { viewpoints: file.viewpoints };
  const origin: Vec3 = [0, 0, 0];
  const fromOrigin = viewpoint === 'origin' || (!file.indices && !file.normals && looksFromOrigin(positions));
  return fromOrigin ? { viewpoints: [origin] } : undefined;
}

const factorOf = (file: ScanFile, unit: Unit | 'auto'): number =>
  file.inMillimetres || unit === 'auto' ? 1 : UNITS[unit];

/** No scan in millimetres is smaller or larger across. */
const SMALLEST = 1;
const LARGEST = 50_000;
/** A scan in its right unit is at least this part, and at most so many times, the planned size across. */
const LEAST_PART = 1 / 8;
const MOST_TIMES = 6;

/** @throws GeometryError `unit-doubtful` for sizes that what the files hold can hardly have in millimetres */
export function assertPlausibleUnit(files: readonly ScanFile[], expected: number): void {
  for (const file of files) {
    if (file.inMillimetres) continue;
    const across = diagonalOf(boundsOf(file.positions));
    const fits = (mm: number): boolean => mm >= LEAST_PART * expected && mm <= MOST_TIMES * expected;
    // The plan speaks against millimetres only if another unit would agree with it.
    const againstPlan = expected > 0 && !fits(across) && Object.values(UNITS).some((factor) => fits(across * factor));
    if (across >= SMALLEST && across <= LARGEST && !againstPlan) continue;
    const size = Number(across.toPrecision(3));
    const why = againstPlan ? `, and the plan says ${expected} mm` : '';
    throw new GeometryError(
      'unit-doubtful',
      `${file.name ? `"${file.name}"` : 'What the file holds'} would be ${size} mm across${why}. Which unit is it in? (--units on the command line)`,
      { across },
    );
  }
}

/** Points that all lie in front of the origin, inside a usual field of view, were seen from there. */
export function looksFromOrigin(positions: Float32Array): boolean {
  let outside = 0;
  for (let i = 0; i < positions.length; i += 3) {
    const z = positions[i + 2];
    if (!(z > 0) || Math.abs(positions[i]) > 1.4 * z || Math.abs(positions[i + 1]) > 1.4 * z) outside++;
  }
  return outside <= (0.001 * positions.length) / 3;
}
