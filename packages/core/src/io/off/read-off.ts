import { GeometryError } from '../../runtime/geometry-error.js';
import { firstBytes, linesOf, type Bytes } from '../byte-source.js';
import { GrowingArray } from '../../runtime/growing-array.js';
import { assertCount, cleanScanFile, type ScanFile } from '../scan-file.js';

/** Which numbers follow a vertex's coordinates, by the letters before "OFF". */
const HEADER = /^(ST)?(C)?(N)?(4)?OFF\b/;

/** True if the bytes begin like an OFF file of text. */
export function looksLikeOff(bytes: Bytes): boolean {
  return HEADER.test(String.fromCharCode(...firstBytes(bytes, 12)));
}

/**
 * OFF, the object file format, as text: points, faces, colours and normals of points. Polygons are split into fans.
 * Source: M. Phillips et al. (1992), Geomview manual, section OFF.
 * @throws GeometryError `corrupt-file`, `empty-input`, `unsupported-format` (binary or four-dimensional), `too-large`
 */
export function readOff(bytes: Bytes): ScanFile {
  const head = HEADER.exec(String.fromCharCode(...firstBytes(bytes, 12)));
  if (!head) throw new GeometryError('corrupt-file', 'The file does not begin with "OFF".');
  const lines = contentLines(bytes);
  const first = lines.next().value as string;
  if (head[4] || /\bBINARY\b/.test(first)) {
    throw new GeometryError(
      'unsupported-format',
      'Only three-dimensional OFF files of text can be read. Export it as text, or as PLY.',
    );
  }
  const [, textured, colored, withNormals] = head;
  // The counts may stand beside the word or on the next line.
  const rest = first.slice(head[0].length).trim();
  const [n, m] = numbersOf(rest || (lines.next().value as string | undefined) || '');
  assertCount(n, 'points');
  assertCount(m, 'faces');
  const positions = new GrowingArray(Float32Array);
  const normals = new GrowingArray(Float32Array);
  const colors = new GrowingArray(Uint8Array);
  for (let i = 0; i < n; i++) {
    const v = numbersOf(needed(lines, `point ${i + 1} of ${n}`));
    if (v.length < 3)
      throw new GeometryError('corrupt-file', `Point ${i + 1} has ${v.length} coordinates instead of 3.`);
    positions.push(v[0], v[1], v[2]);
    let at = 3;
    if (withNormals) {
      normals.push(v[at] ?? 0, v[at + 1] ?? 0, v[at + 2] ?? 0);
      at += 3;
    }
    const left = v.length - at - (textured ? 2 : 0);
    if (colored || left >= 3) {
      const c = colorOf(v.slice(at, at + 3));
      colors.push(c[0], c[1], c[2]);
    }
  }
  const indices = new GrowingArray(Uint32Array);
  for (let f = 0; f < m; f++) {
    const v = numbersOf(needed(lines, `face ${f + 1} of ${m}`));
    const corners = v.slice(1, 1 + v[0]);
    if (!(v[0] >= 1) || corners.length < v[0]) {
      throw new GeometryError('corrupt-file', `Face ${f + 1} names fewer points than it says.`);
    }
    for (let k = 1; k + 1 < corners.length; k++) indices.push(corners[0], corners[k], corners[k + 1]);
  }
  return cleanScanFile({
    format: 'off',
    positions: positions.toArray(),
    ...(normals.length === positions.length ? { normals: normals.toArray() } : {}),
    ...(colors.length === positions.length ? { colors: colors.toArray() } : {}),
    ...(indices.length > 0 ? { indices: indices.toArray() } : {}),
    companions: [],
    notes: [],
  });
}

/** Lines without comments and blank ones. */
function* contentLines(bytes: Bytes): Generator<string> {
  for (const whole of linesOf(bytes)) {
    const line = whole.split('#')[0].trim();
    if (line) yield line;
  }
}

function needed(lines: Generator<string>, what: string): string {
  const { value, done } = lines.next();
  if (done) throw new GeometryError('corrupt-file', `The file ends before ${what}. It was cut off; export it again.`);
  return value;
}

const numbersOf = (line: string): number[] => line.split(/\s+/).map(Number);

/** Whole numbers up to 255, or shares up to 1. */
function colorOf(v: number[]): number[] {
  const shares = v.every((c) => c <= 1) && v.some((c) => !Number.isInteger(c));
  return v.map((c) => Math.max(0, Math.min(255, Math.round(shares ? 255 * c : c))));
}
