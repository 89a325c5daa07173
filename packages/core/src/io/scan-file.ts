import type { DepthFrame } from '../geometry/depth-frame.js';
import { KNOWN_ATTRIBUTES, type VertexKnowledge } from '../geometry/vertex-knowledge.js';
import type { Mat4, Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** What was read from a file: points, and triangles if it holds any; all lengths in the unit of the file. */
export interface ScanFile extends VertexKnowledge {
  format: string;
  /** What the scan is called inside the file, where it holds several. */
  name?: string;
  positions: Float32Array;
  normals?: Float32Array;
  colors?: Uint8Array;
  /** Triangles, 3m; absent for a cloud. */
  indices?: Uint32Array;
  /** Per triangle corner two map coordinates (6m), if the file has them. */
  cornerUvs?: Float32Array;
  /** Names of material or picture files that the file asks for. */
  companions: string[];
  /** Name of the material of each triangle, as runs: each counts from its first triangle to the next one's. */
  materials?: { from: number; name: string }[];
  /** The format itself fixes the unit: coordinates are millimetres already. */
  inMillimetres?: boolean;
  /** Where the sensor stood, in the coordinates of the points. */
  viewpoints?: Vec3[];
  /** Where the file says that the scan stands among its other scans. */
  pieceFromScan?: Mat4;
  /** The depth pictures that the points come from. */
  frames?: DepthFrame[];
  /** What was left out or corrected, in words for the user. */
  notes: string[];
}

/** Most points or triangles a file may hold. */
export const MAX_ELEMENTS = 60_000_000;

/** Throws if a count in a file's header can't be true. */
export function assertCount(count: number, what: string): void {
  if (!Number.isInteger(count) || count < 0 || count > MAX_ELEMENTS) {
    throw new GeometryError(
      'too-large',
      `The file says it holds ${count} ${what}; at most ${MAX_ELEMENTS} can be read.`,
    );
  }
}

/** The fault of a file that holds fewer elements than it says. */
export function cutOff(held: number, said: number, what: string): GeometryError {
  return new GeometryError(
    'corrupt-file',
    `The file ends after ${held} of ${said} ${what}. It was cut off; copy or export it again.`,
  );
}

/**
 * Drops points whose coordinates are not numbers (sensors write them where they saw nothing) and triangles that use
 * them or point outside the list; says so in the notes. Makes nothing new if all is well. O(n).
 * @throws GeometryError `empty-input` if no point is left
 */
export function cleanScanFile(file: ScanFile): ScanFile {
  const { positions: p } = file;
  const n = p.length / 3;
  if (n === 0) throw new GeometryError('empty-input', 'The file holds no points.');
  let kept = 0;
  for (let i = 0; i < n; i++) if (isPoint(p, i)) kept++;
  if (kept === 0) throw new GeometryError('empty-input', `None of the file's ${n} points has valid coordinates.`);
  if (kept === n && !hasStrayCorner(file.indices, n)) return file;
  const newFromOld = new Int32Array(n).fill(-1);
  for (let i = 0, to = 0; i < n; i++) if (isPoint(p, i)) newFromOld[i] = to++;
  const keptOf = <A extends Float32Array | Uint8Array | Uint32Array>(values: A | undefined): A | undefined => {
    if (!values || kept === n) return values;
    const size = values.length / n;
    const out = new (values.constructor as new (n: number) => A)(size * kept);
    for (let i = 0; i < n; i++)
      if (newFromOld[i] >= 0) for (let k = 0; k < size; k++) out[size * newFromOld[i] + k] = values[size * i + k];
    return out;
  };
  const notes = kept < n ? [`${n - kept} points without valid coordinates were left out.`] : [];
  const out: ScanFile = {
    ...file,
    positions: keptOf(p)!,
    normals: keptOf(file.normals),
    colors: keptOf(file.colors),
  };
  for (const { name } of KNOWN_ATTRIBUTES) if (file[name]) Object.assign(out, { [name]: keptOf(file[name]) });
  if (file.indices) {
    const indices = new Uint32Array(file.indices.length);
    const uvs = file.cornerUvs && new Float32Array(file.cornerUvs.length);
    let t = 0;
    for (let f = 0; f < file.indices.length; f += 3) {
      const corner = (k: number): number => (file.indices![f + k] < n ? newFromOld[file.indices![f + k]] : -1);
      if (corner(0) < 0 || corner(1) < 0 || corner(2) < 0) continue;
      for (let k = 0; k < 3; k++) indices[3 * t + k] = corner(k);
      if (uvs) uvs.set(file.cornerUvs!.subarray(2 * f, 2 * f + 6), 6 * t);
      t++;
    }
    const dropped = file.indices.length / 3 - t;
    if (dropped > 0) notes.push(`${dropped} triangles with missing points were left out.`);
    out.indices = indices.slice(0, 3 * t);
    if (uvs) out.cornerUvs = uvs.slice(0, 6 * t);
  }
  return { ...out, notes: [...file.notes, ...notes] };
}

const isPoint = (p: Float32Array, i: number): boolean =>
  Number.isFinite(p[3 * i]) && Number.isFinite(p[3 * i + 1]) && Number.isFinite(p[3 * i + 2]);

function hasStrayCorner(indices: Uint32Array | undefined, n: number): boolean {
  if (indices) for (let i = 0; i < indices.length; i++) if (indices[i] >= n) return true;
  return false;
}
