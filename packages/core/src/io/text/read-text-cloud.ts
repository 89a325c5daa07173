import { GeometryError } from '../../runtime/geometry-error.js';
import { BRIGHTNESS_NOTE, greyOf } from '../brightness.js';
import { firstBytes, linesOf, type Bytes } from '../byte-source.js';
import { GrowingArray } from '../../runtime/growing-array.js';
import { assertCount, cleanScanFile, type ScanFile } from '../scan-file.js';
import { plainText } from './plain-text.js';
import { cellsOf, guessTextLayout, numberOf, type ColumnRole } from './text-layout.js';

/** How much of the text the guess of its layout sees. */
const LOOKED_AT = 1 << 16;

/**
 * Points as lines of text (XYZ, PTS, CSV and their like), in UTF-8, UTF-16 or any encoding with ASCII digits.
 * @param columns what the columns hold, where the guess would be wrong
 * @throws GeometryError `corrupt-file` without points, `invalid-parameter` if the columns name no x, y and z
 */
export function readTextCloud(file: Bytes, columns?: readonly ColumnRole[]): ScanFile {
  const bytes = plainText(file);
  const layout = guessTextLayout(new TextDecoder().decode(firstBytes(bytes, LOOKED_AT)));
  const roles = columns ?? layout.columns;
  const at = (r: ColumnRole): number => roles.indexOf(r);
  const xyz = [at('x'), at('y'), at('z')];
  if (xyz.some((k) => k < 0)) {
    throw new GeometryError('invalid-parameter', 'The columns must name x, y and z, for instance "x y z - r g b".');
  }
  const rgb = [at('r'), at('g'), at('b')];
  const nxyz = [at('nx'), at('ny'), at('nz')];
  const hasColors = rgb.every((k) => k >= 0);
  const hasNormals = nxyz.every((k) => k >= 0);
  const brightnessAt = hasColors ? -1 : at('i');
  const positions = new GrowingArray(Float32Array);
  const colors = new GrowingArray(Float32Array);
  const normals = new GrowingArray(Float32Array);
  const brightness = new GrowingArray(Float32Array);
  let skipped = 0;
  let line = -1;
  for (const whole of linesOf(bytes)) {
    line++;
    const row = whole.trim();
    if (line < layout.headLines || row === '' || row[0] === '#') continue;
    const v = cellsOf(row, layout).map((c) => numberOf(c, layout.decimalComma));
    if (!xyz.every((k) => Number.isFinite(v[k]))) {
      skipped++;
      continue;
    }
    for (const k of xyz) positions.push(v[k]);
    if (hasColors) for (const k of rgb) colors.push(v[k] || 0);
    if (hasNormals) for (const k of nxyz) normals.push(v[k] || 0);
    if (brightnessAt >= 0) brightness.push(v[brightnessAt] || 0);
    if ((positions.length & 0xfffff) === 0) assertCount(positions.length / 3, 'points');
  }
  const notes = [`Columns taken as: ${roles.join(' ')}.`];
  if (skipped > 0) notes.push(`${skipped} lines without three coordinates were left out.`);
  if (brightness.length > 0) notes.push(BRIGHTNESS_NOTE);
  return cleanScanFile({
    format: 'text',
    positions: positions.toArray(),
    ...(hasColors ? { colors: bytesOf(colors.toArray()) } : {}),
    ...(brightness.length > 0 ? { colors: greyOf(brightness.toArray()) } : {}),
    ...(hasNormals ? { normals: normals.toArray() } : {}),
    companions: [],
    notes,
  });
}

/** Colours as bytes. Values that stay at or below 1 and are not all whole are shares. */
function bytesOf(colors: Float32Array): Uint8Array {
  const shares = colors.every((c) => c <= 1) && colors.some((c) => !Number.isInteger(c));
  return Uint8Array.from(colors, (c) => Math.max(0, Math.min(255, shares ? 255 * c : c)));
}
