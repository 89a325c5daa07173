/** Quantities as a person reads them, with their units: browser, server and command line use the same. What is not known is a dash. */

const UNKNOWN = '–';

/** Millimetres with as many decimals as such a length deserves. */
export function lengthText(mm: number | undefined): string {
  if (mm === undefined) return UNKNOWN;
  const size = Math.abs(mm);
  return `${mm.toFixed(size >= 100 ? 1 : size >= 1 ? 2 : 3)} mm`;
}

/** Square millimetres, told in mm² or cm². */
export const areaText = (mm2: number): string =>
  Math.abs(mm2) < 100 ? `${mm2.toFixed(1)} mm²` : `${(mm2 / 100).toFixed(1)} cm²`;

/** Cubic millimetres, told in mm³, cm³ or litres. */
export function volumeText(mm3: number): string {
  const size = Math.abs(mm3);
  if (size < 1000) return `${mm3.toFixed(1)} mm³`;
  return size < 1e7 ? `${(mm3 / 1000).toFixed(1)} cm³` : `${(mm3 / 1e6).toFixed(2)} l`;
}

/** Radians, told in degrees. */
export const angleText = (radians: number): string => `${((radians * 180) / Math.PI).toFixed(2)}°`;

/** A share of 1, told in per cent. */
export const shareText = (ratio: number | undefined): string =>
  ratio === undefined ? UNKNOWN : `${(100 * ratio).toFixed(1)} %`;

/** 471378 → 471,378. */
export const countText = (n: number | undefined): string => n?.toLocaleString('en-US') ?? UNKNOWN;

/** 471378 → 471k, 1420000 → 1.42M. */
export function shortCountText(n: number | undefined): string {
  if (n === undefined) return UNKNOWN;
  return n >= 1e6 ? `${(n / 1e6).toFixed(2)}M` : n >= 1000 ? `${Math.round(n / 1000)}k` : String(n);
}

/** Milliseconds, told in seconds or minutes. */
export function durationText(ms: number): string {
  const s = ms / 1000;
  return s < 60 ? `${s.toFixed(1)} s` : `${Math.floor(s / 60)} min ${Math.round(s % 60)} s`;
}

/** Bytes, told in kB or MB. */
export function bytesText(bytes: number | undefined): string {
  if (bytes === undefined) return UNKNOWN;
  return bytes < 1e6 ? `${Math.round(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}

/** A value with its unit and, where it is known, twice its standard uncertainty: the truth lies within that in 95 of 100. */
export function measuredText(v: {
  kind: 'length' | 'area' | 'volume' | 'angle';
  value: number;
  uncertainty?: number;
}): string {
  const text = { length: lengthText, area: areaText, volume: volumeText, angle: angleText }[v.kind];
  return v.uncertainty ? `${text(v.value)} ± ${text(2 * v.uncertainty)}` : text(v.value);
}

/** A plain number with four figures, whole numbers in full. */
export const numberText = (v: number): string =>
  Number.isInteger(v) ? countText(v) : String(Number(v.toPrecision(4)));

/** What one wants to know of a dimension first, without how sure it is; of a note what it says. */
export function dimensionText(
  asked: { kind: string; name: string; note: string },
  { values: [first] }: { values: readonly Parameters<typeof measuredText>[0][] },
): string {
  if (asked.kind === 'note') return asked.note || asked.name;
  return first ? firstValueText(asked, { ...first, uncertainty: 0 }) : UNKNOWN;
}

/** The first value of a dimension; how far something lies off has a sign either way. */
export const firstValueText = (asked: { kind: string }, first: Parameters<typeof measuredText>[0]): string =>
  `${asked.kind === 'off' && first.value > 0 ? '+' : ''}${measuredText(first)}`;
