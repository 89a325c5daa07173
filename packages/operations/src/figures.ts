import type { ParamField } from './params.js';
import {
  angleText,
  areaText,
  bytesText,
  countText,
  durationText,
  lengthText,
  numberText,
  shareText,
  volumeText,
} from './quantity-text.js';

/** Results in numbers and words, as they are stored; a list is a curve, such as the movement in each iteration. */
export type Figures = Record<string, number | string | boolean | number[]>;

/** Kinds of figures with the text of a value. Lengths are mm, areas mm², volumes mm³, angles radians, ratios shares of 1, durations ms. */
const KINDS = {
  length: (v: number) => lengthText(v),
  area: (v: number) => areaText(v),
  volume: (v: number) => volumeText(v),
  angle: (v: number) => angleText(v),
  ratio: (v: number) => shareText(v),
  count: (v: number) => countText(v),
  number: (v: number) => numberText(v),
  duration: (v: number) => durationText(v),
  bytes: (v: number) => bytesText(v),
  text: (v: string) => v || '–',
  flag: (v: boolean) => (v ? 'yes' : 'no'),
  curve: (v: number[]) => (v.length > 0 ? `${v.length} values, last ${v[v.length - 1]}` : '–'),
};
export type FigureKind = keyof typeof KINDS;

/** `headline`: what one wants to know first. `detail`: on request. `diagnostic`: for who looks into a doubtful result. */
export type FigureRank = 'headline' | 'detail' | 'diagnostic';

/** How good a value is, never told by colour alone. */
export interface Verdict {
  tone: 'good' | 'doubtful' | 'bad';
  word: string;
}

/** What a figure of an operation means. */
export interface FigureField {
  kind: FigureKind;
  rank: FigureRank;
  label: string;
  /** What it says, and what to do about it, in a sentence or two. */
  help: string;
  /** Unit of a plain number or count, where it has one. */
  unit?: string;
  /** A flag's words instead of yes and no. */
  words?: { yes: string; no: string };
  /** The value of a flag that is wanted. */
  good?: boolean;
  /** Up to `good` all is well, from `bad` on it is not (the other way round if `good` is the larger). */
  limits?: { good: number; bad: number };
}
export type FigureFields = Readonly<Record<string, FigureField>>;

type ValueOf<K extends FigureKind> = Parameters<(typeof KINDS)[K]>[0];
/** What an operation tells: any of the figures that it declares, and no other. */
export type FigureValues<F extends FigureFields> = { [N in keyof F]?: ValueOf<F[N]['kind']> };

/** A figure ready to be shown. */
export interface FigureView {
  name: string;
  label: string;
  rank: FigureRank;
  text: string;
  help: string;
  verdict?: Verdict;
}

/** The figures of a step in the order of their definition; those of an older version, no longer defined, come last. */
export function describeFigures(fields: FigureFields, figures: Figures): FigureView[] {
  const known = Object.entries(fields).flatMap(([name, field]): FigureView[] => {
    const value = figures[name];
    if (value === undefined) return [];
    const { label, rank, help } = field;
    const verdict = verdictOn(field, value);
    return [{ name, label, rank, help, text: figureText(field, value), ...(verdict ? { verdict } : {}) }];
  });
  const unknown = Object.entries(figures)
    .filter(([name]) => !(name in fields))
    .map(([name, value]): FigureView => {
      const kind = typeof value === 'boolean' ? 'flag' : typeof value === 'string' ? 'text' : 'number';
      const text = Array.isArray(value) ? KINDS.curve(value) : figureText({ kind }, value);
      return { name, label: inWords(name), rank: 'diagnostic', text, help: 'A figure of an earlier version.' };
    });
  return [...known, ...unknown];
}

/** A value with its unit. */
export function figureText(field: Pick<FigureField, 'kind' | 'unit' | 'words'>, value: Figures[string]): string {
  if (field.words && typeof value === 'boolean') return value ? field.words.yes : field.words.no;
  const text = (KINDS[field.kind] as (v: Figures[string]) => string)(value);
  return field.unit ? `${text} ${field.unit}` : text;
}

/** How good a value is, where its definition says so. */
export function verdictOn({ good, limits }: FigureField, value: Figures[string]): Verdict | undefined {
  if (typeof value === 'boolean') {
    if (good === undefined) return undefined;
    return value === good ? { tone: 'good', word: 'good' } : { tone: 'bad', word: 'needs work' };
  }
  if (typeof value !== 'number' || !limits) return undefined;
  const rising = limits.bad >= limits.good;
  const by = (limit: number): number => (rising ? value - limit : limit - value);
  if (by(limits.good) <= 0) return { tone: 'good', word: 'good' };
  return by(limits.bad) < 0 ? { tone: 'doubtful', word: 'look at it' } : { tone: 'bad', word: 'needs work' };
}

/** A parameter as the ledger shows it. */
export interface ParamView {
  name: string;
  label: string;
  text: string;
}

/** Parameters of a step with their labels and units. */
export function describeParams(fields: readonly ParamField[], params: Record<string, unknown>): ParamView[] {
  return Object.entries(params).map(([name, value]) => {
    const field = fields.find((f) => f.name === name);
    return { name, label: field?.title ?? inWords(name), text: paramText(field, value) };
  });
}

function paramText(field: ParamField | undefined, value: unknown): string {
  const empty = value === '' || value === 0 || (Array.isArray(value) && value.length === 0);
  if (field?.whenEmpty && empty) return field.whenEmpty;
  if (field?.kind === 'choice') return field.choices?.find((c) => c.value === value)?.title ?? String(value);
  if (field?.kind === 'pose') return 'a place given by hand';
  if (Array.isArray(value))
    return value.every((v) => typeof v === 'string') ? value.join(', ') : `${value.length} given`;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value !== 'number') return typeof value === 'string' ? value || '–' : JSON.stringify(value);
  if (field?.kind === 'length') return lengthText(value);
  return field?.unit ? `${numberText(value)} ${field.unit}` : numberText(value);
}

/** camelCase names as words: repairedTriangles → Repaired triangles. */
function inWords(name: string): string {
  const words = name.replace(/([A-Z])/g, (c) => ` ${c.toLowerCase()}`).replace(/(\d+)$/, ' $1');
  return words.charAt(0).toUpperCase() + words.slice(1);
}
