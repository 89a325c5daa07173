import { GeometryError } from '../runtime/geometry-error.js';

/** What was read from a file: points, and triangles if it holds any. */
export interface ScanFile {
  format: string;
  positions: Float32Array;
  normals?: Float32Array;
  colors?: Uint8Array;
  /** Triangles, 3m; absent for a cloud. */
  indices?: Uint32Array;
  /** Per triangle corner two map coordinates (6m), if the file has them. */
  cornerUvs?: Float32Array;
  /** Names of material or picture files that the file asks for. */
  companions: string[];
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

/**
 * Drops points whose coordinates are not numbers (sensors write them where they saw nothing) and triangles that use
 * them or point outside the list; says so in the notes.
 * @throws GeometryError `empty-input` if no point is left
 */
export function cleanScanFile(file: ScanFile): ScanFile {
  const n = file.positions.length / 3;
  if (n === 0) throw new GeometryError('empty-input', 'The file holds no points.');
  const newFromOld = new Int32Array(n).fill(-1);
  let kept = 0;
  for (let i = 0; i < n; i++) {
    if (
      Number.isFinite(file.positions[3 * i]) &&
      Number.isFinite(file.positions[3 * i + 1]) &&
      Number.isFinite(file.positions[3 * i + 2])
    ) {
      newFromOld[i] = kept++;
    }
  }
  if (kept === 0) throw new GeometryError('empty-input', `None of the file's ${n} points has valid coordinates.`);
  let out = file;
  if (kept < n) {
    const positions = new Float32Array(3 * kept);
    const normals = file.normals && new Float32Array(3 * kept);
    const colors = file.colors && new Uint8Array(3 * kept);
    for (let i = 0; i < n; i++) {
      const to = newFromOld[i];
      if (to < 0) continue;
      for (let k = 0; k < 3; k++) {
        positions[3 * to + k] = file.positions[3 * i + k];
        if (normals) normals[3 * to + k] = file.normals![3 * i + k];
        if (colors) colors[3 * to + k] = file.colors![3 * i + k];
      }
    }
    out = {
      ...file,
      positions,
      normals,
      colors,
      notes: [...file.notes, `${n - kept} points without valid coordinates were left out.`],
    };
  }
  if (!file.indices) return out;
  const indices: number[] = [];
  const uvs: number[] = [];
  let dropped = 0;
  for (let t = 0; t < file.indices.length; t += 3) {
    const ids = [0, 1, 2].map((k) => (file.indices![t + k] < n ? newFromOld[file.indices![t + k]] : -1));
    if (ids.some((v) => v < 0)) {
      dropped++;
      continue;
    }
    indices.push(...ids);
    if (file.cornerUvs) for (let k = 0; k < 6; k++) uvs.push(file.cornerUvs[2 * t + k]);
  }
  if (dropped === 0 && out === file) return file;
  return {
    ...out,
    indices: Uint32Array.from(indices),
    ...(file.cornerUvs ? { cornerUvs: Float32Array.from(uvs) } : {}),
    notes: dropped > 0 ? [...out.notes, `${dropped} triangles with missing points were left out.`] : out.notes,
  };
}
