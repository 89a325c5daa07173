import { fromTranslation, identity, multiply, type Mat4, type Vec3 } from '../../math/mat4.js';
import { GeometryError } from '../../runtime/geometry-error.js';
import { BRIGHTNESS_NOTE, greyOf } from '../brightness.js';
import type { Bytes } from '../byte-source.js';
import { normalsFromGrid, type RangeGrid } from '../range-grid.js';
import { assertCount, cleanScanFile, type ScanFile } from '../scan-file.js';
import { colorFromPictures } from './color-from-pictures.js';
import { columnsOf, type Column } from './columns.js';
import { readCompressedVector } from './compressed-vector.js';
import { child, numberOf, parseE57Xml, type E57Node } from './nodes.js';
import { PagedSource, readFileHeader } from './pages.js';
import { picturesOf, poseOf, type E57Picture } from './pictures.js';
import { SENSORS_FIELD } from './write-e57.js';

/** The format counts in metres. */
const MM = 1000;
/** Beyond this, coordinates are those of a country rather than of an object: floats would lose their fractions. */
const FAR = 100_000;
/** A grid with more than so many cells to a point is none. */
const MOST_EMPTY = 20;

/**
 * Reads all scans of an E57 file: points (of rectangular or spherical coordinates, packed as floats or whole numbers),
 * colours or brightness, normals (else from the grid of rows and columns), and where each scanner stood. Scans without
 * colours of their own get them from the pictures taken with them. Every page's checksum is checked. Points stay in their
 * scanner's frame; its pose comes as `pieceFromScan`. Reads through a window.
 *
 * Source: ASTM E2807-11 (2011), Standard specification for 3D imaging data exchange; normals by the extension
 * E57_EXT_surface_normals.
 * @throws GeometryError `corrupt-file`, `unsupported-format`, `empty-input`, `too-large`
 */
export function readE57(bytes: Bytes, step?: (fraction: number) => void): ScanFile[] {
  const header = readFileHeader(bytes);
  const source = new PagedSource(bytes, header.pageSize);
  const xml = new Uint8Array(Math.min(header.xmlLength, source.size));
  source.read(source.logical(header.xmlOffset), xml);
  const root = parseE57Xml(xml);
  const scans = child(root, 'data3D')?.children ?? [];
  if (scans.length === 0) throw new GeometryError('empty-input', 'The E57 file holds no scans.');
  let total = 0;
  for (const scan of scans) {
    total += recordsOf(scan);
    assertCount(total, 'points');
  }
  const pictures = picturesOf(root, source);
  let shift: Vec3 | undefined;
  const notes: string[] = [];
  const out: ScanFile[] = [];
  let before = 0;
  scans.forEach((scan, i) => {
    const own = child(scan, 'name')?.text.trim();
    // A scan alone is called as its file, unless it has a name.
    const name = own || (scans.length > 1 ? `scan ${i + 1}` : undefined);
    const count = recordsOf(scan);
    if (count === 0) {
      notes.push(`"${name ?? 'The scan'}" holds no points: left out.`);
      return;
    }
    const pose = poseOf(scan);
    const read = readScan(source, scan, count, (done) => step?.((before + done) / total));
    // Coordinates that lie far off were moved; the pictures were not.
    const fileFromScan = multiply(pose ?? identity(), fromTranslation(...inMillimetres(originOf(scan))));
    const file = paintedFrom(picturesOfScan(pictures, scan, scans.length), read, fileFromScan);
    before += count;
    // All scans of a file are moved alike, or they would no longer fit.
    if (pose && !shift) shift = [12, 13, 14].some((k) => Math.abs(pose[k]) > FAR) ? wholeMetres(pose) : [0, 0, 0];
    const pieceFromScan = pose && multiply(fromTranslation(-shift![0], -shift![1], -shift![2]), pose);
    out.push({ ...file, name, ...(pose ? { pieceFromScan } : {}), viewpoints: sensorsOf(scan, pose) });
  });
  if (out.length === 0) throw new GeometryError('empty-input', 'None of the scans in the E57 file holds points.');
  if (shift?.some((v) => v !== 0)) notes.push(movedNote(shift));
  const unknown = (child(root, 'images2D')?.children.length ?? 0) - pictures.length;
  if (unknown > 0) notes.push(`${unknown} pictures that don’t say how they see were left out.`);
  out[0].notes.push(...notes);
  return out;
}

/** Pictures taken with a scan; in a file of one scan all that name none. */
const picturesOfScan = (pictures: readonly E57Picture[], scan: E57Node, scans: number): E57Picture[] => {
  const guid = child(scan, 'guid')?.text.trim();
  return pictures.filter((p) => (p.scanGuid ? p.scanGuid === guid : scans === 1));
};

function paintedFrom(pictures: readonly E57Picture[], file: ScanFile, fileFromScan: Mat4): ScanFile {
  if (pictures.length === 0) return file;
  if (file.colors && !file.notes.includes(BRIGHTNESS_NOTE))
    return {
      ...file,
      notes: [...file.notes, `Its ${pictures.length} pictures were left out: the points have colours.`],
    };
  const painted = colorFromPictures(file.positions, pictures, fileFromScan);
  const notes = [...file.notes, ...painted.notes];
  if (!painted.colors) return { ...file, notes };
  return { ...file, colors: painted.colors, notes: notes.filter((note) => note !== BRIGHTNESS_NOTE) };
}

const inMillimetres = (metres: Vec3): Vec3 => metres.map((v) => MM * v) as Vec3;

const wholeMetres = (pose: Mat4): Vec3 => [12, 13, 14].map((k) => MM * Math.round(pose[k] / MM)) as Vec3;

const movedNote = (shift: Vec3): string =>
  `The coordinates lie far from their origin: ${shift.map((v) => `${v / MM} m`).join(', ')} were taken off.`;

function recordsOf(scan: E57Node): number {
  const count = Number(child(scan, 'points')?.attributes.recordCount ?? 0);
  assertCount(count, 'points');
  return count;
}

/**
 * Where the sensor stood, in the scan's frame: as our own extension has it, else at the origin if there is a pose, since
 * that is the scanner's.
 */
function sensorsOf(scan: E57Node, pose: Mat4 | undefined): Vec3[] | undefined {
  const known = child(scan, SENSORS_FIELD);
  if (!known) return pose ? [[0, 0, 0]] : undefined;
  const places = known.children.map((v) => ['x', 'y', 'z'].map((k) => MM * numberOf(v, k, 0)) as Vec3);
  return places.length > 0 ? places : undefined;
}

function readScan(source: PagedSource, scan: E57Node, n: number, step: (done: number) => void): ScanFile {
  const points = child(scan, 'points')!;
  const prototype = child(points, 'prototype');
  const at = Number(points.attributes.fileOffset);
  if (!prototype || !Number.isFinite(at))
    throw new GeometryError('corrupt-file', 'A scan of the E57 file does not say where its points are.');
  const columns = columnsOf(prototype);
  assertRoom(source.size, n, columns);
  const fields = new ScanFields(n, columns, originOf(scan));
  readCompressedVector(source, at, n, columns, (c) => fields.setterFor(c), step);
  return cleanScanFile(fields.finish(scan));
}

/** Refuses a count that the file can't hold, before room is made for it. */
function assertRoom(size: number, count: number, columns: readonly Column[]): void {
  const bits = columns.reduce((s, c) => s + c.bits, 0);
  if ((bits * count) / 8 > size || (bits === 0 && count > 1e6)) {
    throw new GeometryError('corrupt-file', `A scan says it holds ${count} points, more than the file has room for.`);
  }
}

/** What is taken off the coordinates of a scan without pose that lies far from its origin, in metres. */
function originOf(scan: E57Node): Vec3 {
  const box = child(scan, 'cartesianBounds');
  const middle = ['x', 'y', 'z'].map((k) => (numberOf(box, `${k}Minimum`, 0) + numberOf(box, `${k}Maximum`, 0)) / 2);
  return (middle.some((v) => Math.abs(v) * MM > FAR) ? middle.map(Math.round) : [0, 0, 0]) as Vec3;
}

/** The fields of a scan's points as they are unpacked. */
class ScanFields {
  private readonly has: (...names: string[]) => boolean;
  private readonly positions: Float32Array;
  private readonly spherical: boolean;
  private readonly colors?: Uint8Array;
  private readonly normals?: Float32Array;
  private readonly brightness?: Float32Array;
  private readonly invalid?: Uint8Array;
  /** Row and column of every point, for normals. */
  private readonly cells?: { row: Int32Array; column: Int32Array };

  constructor(
    private readonly n: number,
    columns: readonly Column[],
    private readonly origin: Vec3,
  ) {
    this.has = (...names) => names.every((name) => columns.some((c) => c.name === name));
    const rectangular = this.has('cartesianX', 'cartesianY', 'cartesianZ');
    this.spherical = !rectangular;
    if (!rectangular && !this.has('sphericalRange', 'sphericalAzimuth', 'sphericalElevation'))
      throw new GeometryError('corrupt-file', 'The points of the E57 file have no coordinates.');
    this.positions = new Float32Array(3 * n);
    if (this.has('colorRed', 'colorGreen', 'colorBlue')) this.colors = new Uint8Array(3 * n);
    if (this.has('nor:normalX', 'nor:normalY', 'nor:normalZ')) this.normals = new Float32Array(3 * n);
    if (!this.colors && this.has('intensity')) this.brightness = new Float32Array(n);
    if (this.has(this.invalidName)) this.invalid = new Uint8Array(n);
    if (!this.normals && this.has('rowIndex', 'columnIndex'))
      this.cells = { row: new Int32Array(n), column: new Int32Array(n) };
  }

  private get invalidName(): string {
    return this.spherical ? 'sphericalInvalidState' : 'cartesianInvalidState';
  }

  setterFor(column: Column): ((i: number, v: number) => void) | undefined {
    const { positions, colors, normals, brightness, invalid, origin } = this;
    const { name } = column;
    if (name === this.invalidName) return (i, v) => (invalid![i] = v);
    const coordinates = this.spherical
      ? ['sphericalRange', 'sphericalAzimuth', 'sphericalElevation']
      : ['cartesianX', 'cartesianY', 'cartesianZ'];
    const axis = coordinates.indexOf(name);
    if (axis >= 0 && this.spherical) return (i, v) => (positions[3 * i + axis] = v);
    if (axis >= 0) return (i, v) => (positions[3 * i + axis] = MM * (v - origin[axis]));
    const channel = ['colorRed', 'colorGreen', 'colorBlue'].indexOf(name);
    if (channel >= 0 && colors) {
      // Whole numbers span their bounds; floats go up to 1.
      const top =
        column.kind === 'integer' ? column.scale * (column.minimum + 2 ** column.bits - 1) + column.offset : 1;
      const scale = 255 / (top || 1);
      return (i, v) => (colors[3 * i + channel] = Math.max(0, Math.min(255, Math.round(scale * v))));
    }
    const side = ['nor:normalX', 'nor:normalY', 'nor:normalZ'].indexOf(name);
    if (side >= 0 && normals) return (i, v) => (normals[3 * i + side] = v);
    const { cells } = this;
    if (name === 'rowIndex' && cells) return (i, v) => (cells.row[i] = v);
    if (name === 'columnIndex' && cells) return (i, v) => (cells.column[i] = v);
    if (name === 'intensity' && brightness) return (i, v) => (brightness[i] = v);
    return undefined;
  }

  finish(scan: E57Node): ScanFile {
    const { positions: p, invalid, brightness, origin } = this;
    for (let i = 0; i < this.n; i++) {
      if (this.spherical) {
        const [range, azimuth, elevation] = [p[3 * i], p[3 * i + 1], p[3 * i + 2]];
        const flat = MM * range * Math.cos(elevation);
        p[3 * i] = flat * Math.cos(azimuth);
        p[3 * i + 1] = flat * Math.sin(azimuth);
        p[3 * i + 2] = MM * range * Math.sin(elevation);
      }
      if (invalid?.[i]) p[3 * i] = NaN;
    }
    const notes = brightness ? [BRIGHTNESS_NOTE] : [];
    if (origin.some((v) => v !== 0)) notes.push(movedNote(inMillimetres(origin)));
    const grid = this.gridOf();
    // A scan with a grid was taken from one place: the origin of its frame.
    if (grid) notes.push(`Normals were taken from the grid of ${grid.columns}×${grid.rows} cells.`);
    const description = child(scan, 'description')?.text.trim();
    if (description) notes.push(`In the file: ${description.slice(0, 200)}`);
    return {
      format: 'e57',
      positions: p,
      normals: this.normals ?? (grid && normalsFromGrid(p, grid, inMillimetres(origin).map((v) => -v) as Vec3)),
      colors: this.colors ?? (brightness && greyOf(brightness)),
      companions: [],
      inMillimetres: true,
      notes,
    };
  }

  /** The picture that rows and columns make; undefined without them, and where they are no picture. */
  private gridOf(): RangeGrid | undefined {
    const { cells, n, positions: p } = this;
    if (!cells) return undefined;
    const [firstRow, lastRow] = boundsOf(cells.row);
    const [firstColumn, lastColumn] = boundsOf(cells.column);
    const [columns, rows] = [lastColumn - firstColumn + 1, lastRow - firstRow + 1];
    if (columns < 2 || rows < 2 || columns * rows > MOST_EMPTY * n) return undefined;
    const grid = { cells: new Int32Array(columns * rows).fill(-1), columns, rows };
    for (let i = 0; i < n; i++) {
      if (Number.isFinite(p[3 * i]))
        grid.cells[(cells.row[i] - firstRow) * columns + cells.column[i] - firstColumn] = i;
    }
    return grid;
  }
}

function boundsOf(values: Int32Array): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const v of values) {
    if (v < low) low = v;
    if (v > high) high = v;
  }
  return [low, high];
}
