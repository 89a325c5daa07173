/** What each field of an edit must be, by its name. */
export type EditRules = Readonly<Record<string, (v: unknown) => boolean>>;

/** Places lie within so many mm of the origin. */
const FARTHEST = 1e6;

export const isNumber = (v: unknown, low: number, high: number): boolean =>
  typeof v === 'number' && Number.isFinite(v) && v >= low && v <= high;
export const isPlace = (v: unknown): boolean =>
  Array.isArray(v) && v.length === 3 && v.every((c) => isNumber(c, -FARTHEST, FARTHEST));
export const isDirection = (v: unknown): boolean => isPlace(v) && Math.hypot(...(v as number[])) > 1e-6;
export const areNumbers = (v: unknown, least: number, most: number, within: number): boolean =>
  Array.isArray(v) && v.length >= least && v.length <= most && v.every((c) => isNumber(c, -within, within));
export const isFlag = (v: unknown): boolean => v === undefined || typeof v === 'boolean';

/**
 * What is wrong with something that should be a list of edits, each with a `kind` and the fields of that kind, in words;
 * undefined if nothing is.
 */
export function faultOfEdits(
  value: unknown,
  rules: Readonly<Record<string, EditRules>>,
  most: number,
): string | undefined {
  if (!Array.isArray(value)) return 'must be a list of edits';
  if (value.length > most) return `must hold at most ${most} edits, not ${value.length}`;
  for (const [i, item] of value.entries()) {
    const edit = item as Record<string, unknown> | null;
    const own =
      typeof edit === 'object' && edit && Object.hasOwn(rules, String(edit.kind))
        ? rules[String(edit.kind)]
        : undefined;
    if (!own || !edit) return `edit ${i + 1} must be one of ${Object.keys(rules).join(', ')}`;
    for (const [name, holds] of Object.entries(own))
      if (!holds(edit[name])) return `edit ${i + 1} (${String(edit.kind)}) has no lawful ${name}`;
    const unknown = Object.keys(edit).find((name) => name !== 'kind' && !(name in own));
    if (unknown) return `edit ${i + 1} (${String(edit.kind)}) has an unknown ${unknown}`;
  }
  return undefined;
}
