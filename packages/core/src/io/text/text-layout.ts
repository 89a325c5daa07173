import { GeometryError } from '../../runtime/geometry-error.js';

/** What a column of a text file holds: place, colour, normal, returned brightness; "-" is passed over. */
export const COLUMN_ROLES = ['x', 'y', 'z', 'r', 'g', 'b', 'nx', 'ny', 'nz', 'i', '-'] as const;
export type ColumnRole = (typeof COLUMN_ROLES)[number];

const ROLE_NAMES: Record<string, ColumnRole> = {
  east: 'x',
  easting: 'x',
  north: 'y',
  northing: 'y',
  up: 'z',
  height: 'z',
  elevation: 'z',
  red: 'r',
  green: 'g',
  blue: 'b',
  normal_x: 'nx',
  normal_y: 'ny',
  normal_z: 'nz',
  intensity: 'i',
  reflectance: 'i',
  normalx: 'nx',
  normaly: 'ny',
  normalz: 'nz',
};

/** How many lines the guess looks at. */
const LOOKED_AT = 200;

/** How a text file is laid out. */
export interface TextLayout {
  separator: RegExp;
  decimalComma: boolean;
  columns: ColumnRole[];
  /** Lines before the first point: names of columns, a count. */
  headLines: number;
}

/**
 * Guesses the layout from the first lines: separator, decimal comma, names in a head line, else roles by what the
 * numbers look like (whole numbers to 255 are colours, triples of length 1 normals).
 * @throws GeometryError `corrupt-file` if no line holds three numbers
 */
export function guessTextLayout(text: string): TextLayout {
  const lines = text.slice(0, 64 * LOOKED_AT).split(/\r?\n/, LOOKED_AT);
  // The last may be cut off.
  if (lines.length > 1) lines.pop();
  const content = lines.filter((l) => l.trim() && !/^\s*(#|\/\/)/.test(l));
  const body = content.slice(Math.min(2, content.length - 1)).join('\n');
  const separator = body.includes(';') ? /\s*;\s*/ : body.includes('\t') ? /\t+/ : /,/.test(body) ? /\s*,\s*/ : /\s+/;
  const decimalComma = separator.source !== '\\s*,\\s*' && /\d,\d/.test(body);
  const split = (line: string): string[] => cellsOf(line, { separator });
  const numbers = (line: string): number[] => split(line).map((c) => numberOf(c, decimalComma));
  const firstPoint = lines.findIndex((l) => {
    const v = numbers(l);
    return v.length >= 3 && v.slice(0, 3).every(Number.isFinite);
  });
  if (firstPoint < 0) {
    throw new GeometryError('corrupt-file', 'No line of the text holds three numbers. Is this a list of points?');
  }
  const rows = lines
    .slice(firstPoint)
    .map(numbers)
    .filter((v) => v.length >= 3);
  const width = rows[0].length;
  const named = firstPoint > 0 ? rolesByName(split(lines[firstPoint - 1].replace(/^\s*(#|\/\/)\s*/, ''))) : undefined;
  const columns =
    named && named.length >= 3
      ? named
      : rolesByLook(
          rows.filter((v) => v.length === width),
          width,
        );
  return { separator, decimalComma, columns, headLines: firstPoint };
}

function rolesByName(names: string[]): ColumnRole[] | undefined {
  const roles = names.map((n): ColumnRole => {
    const name = n.trim().replace(/["']/g, '').toLowerCase();
    const role = ROLE_NAMES[name] ?? name;
    return (COLUMN_ROLES as readonly string[]).includes(role) ? (role as ColumnRole) : '-';
  });
  return ['x', 'y', 'z'].every((r) => roles.includes(r as ColumnRole)) ? roles : undefined;
}

function rolesByLook(rows: number[][], width: number): ColumnRole[] {
  const columns: ColumnRole[] = ['x', 'y', 'z', ...Array<ColumnRole>(width - 3).fill('-')];
  const isColor = (k: number): boolean => rows.every((v) => Number.isInteger(v[k]) && v[k] >= 0 && v[k] <= 255);
  const isNormal = (k: number): boolean => rows.every((v) => Math.abs(Math.hypot(v[k], v[k + 1], v[k + 2]) - 1) < 0.02);
  const put = (k: number, roles: ColumnRole[]): void => roles.forEach((r, i) => (columns[k + i] = r));
  for (let k = 3; k + 2 < width;) {
    if (!columns.includes('nx') && isNormal(k)) put(k, ['nx', 'ny', 'nz']);
    else if (!columns.includes('r') && isColor(k) && isColor(k + 1) && isColor(k + 2)) {
      // A lone column before it may be a brightness of the same kind: the last three are the colour.
      const shift = width - k === 4 && isColor(k + 3) ? 1 : 0;
      put(k + shift, ['r', 'g', 'b']);
      k += shift;
    } else {
      k++;
      continue;
    }
    k += 3;
  }
  return columns;
}

/**
 * Columns as they are written down, "x y z - r g b"; undefined for an empty text.
 * @throws GeometryError `invalid-parameter` for a word that is no column
 */
export function parseColumns(text: string): ColumnRole[] | undefined {
  const words = text
    .trim()
    .toLowerCase()
    .split(/[\s,]+/)
    .filter(Boolean);
  const wrong = words.find((w) => !(COLUMN_ROLES as readonly string[]).includes(w));
  if (wrong) {
    throw new GeometryError('invalid-parameter', `"${wrong}" is no kind of column. Known: ${COLUMN_ROLES.join(' ')}.`);
  }
  return words.length > 0 ? (words as ColumnRole[]) : undefined;
}

/** The cells of a line. */
export function cellsOf(line: string, { separator }: Pick<TextLayout, 'separator'>): string[] {
  return line.trim().split(separator);
}

/** A cell as a number; NaN if it is none. */
export const numberOf = (cell: string, decimalComma: boolean): number => {
  const t = (decimalComma ? cell.replace(',', '.') : cell).trim();
  return t === '' ? NaN : Number(t);
};
