import { GeometryError } from '@amber-knit/core/runtime';
import { findOperation, parseParams } from '@amber-knit/operations';

/** What a condition may ask of a piece; lengths mm, shares of 1. */
export const FACTS = {
  scans: 'number of scans',
  points: 'number of points of all scans',
  triangles: 'number of triangles of the surface',
  pictures: 'a scan has pictures (1 or 0)',
  unrefined: 'number of scans whose frames were never made to agree',
  colours: 'a scan has pictures or coloured points (1 or 0)',
  loose: 'number of scans without a place',
  doubtful: 'number of scans whose place is in doubt',
} as const;
export type Fact = keyof typeof FACTS;
export type Facts = Readonly<Record<Fact, number>>;

/** Holds if the fact lies above and below what is given. */
export interface Condition {
  fact: Fact;
  above?: number;
  below?: number;
}

/** One operation of a recipe; `set` goes before what is suggested, and it is left out where `when` does not hold. */
export interface RecipeStep {
  operation: string;
  set?: Record<string, unknown>;
  when?: Condition;
}

/** A named chain of operations. */
export interface Recipe {
  /** Version of the format, 1. */
  version?: number;
  name: string;
  title: string;
  steps: RecipeStep[];
}

/** The newest version of the format that is understood. */
const FORMAT_VERSION = 1;
const MOST_STEPS = 200;

export const holds = ({ fact, above = -Infinity, below = Infinity }: Condition, facts: Facts): boolean =>
  facts[fact] > above && facts[fact] < below;

/**
 * Reads a recipe that came as JSON (docs/formats.md) and checks every operation, value and condition of it.
 * @throws GeometryError `invalid-parameter` that names the step and what is wrong with it
 */
export function parseRecipe(json: unknown): Recipe {
  const fail = (text: string): never => {
    throw new GeometryError('invalid-parameter', text);
  };
  const given = asObject(json) ?? fail('A recipe is an object with a list "steps".');
  const version = given.version ?? FORMAT_VERSION;
  if (version !== FORMAT_VERSION)
    fail(`The recipe is of version ${String(version)}; this program reads version ${FORMAT_VERSION}.`);
  const { name = 'recipe', title = '', steps } = given;
  if (typeof name !== 'string' || typeof title !== 'string') fail('"name" and "title" of a recipe are texts.');
  if (!Array.isArray(steps) || steps.length === 0 || steps.length > MOST_STEPS)
    return fail(`A recipe has a list "steps" of 1 to ${MOST_STEPS} operations.`);
  const read = (step: unknown, i: number): RecipeStep => {
    const at = `Step ${i + 1} of the recipe`;
    const { operation, set = {}, when, ...rest } = asObject(step) ?? fail(`${at} is no object.`);
    const [strange] = Object.keys(rest);
    if (strange !== undefined) fail(`${at} has "${strange}"; known are operation, set and when.`);
    if (typeof operation !== 'string') return fail(`${at} names no operation.`);
    const values = asObject(set) ?? fail(`${at}: "set" is an object of parameters.`);
    try {
      const { byHand, needs, params } = findOperation(operation);
      if (byHand || needs.includes('file')) fail(`${operation} works by what a person chooses and can’t be repeated.`);
      parseParams(params, values);
    } catch (e) {
      if (e instanceof GeometryError) fail(`${at}: ${e.message}`);
      throw e;
    }
    return { operation, set: values, ...(when === undefined ? {} : { when: parseCondition(when, at) }) };
  };
  return { version: FORMAT_VERSION, name: name as string, title: title as string, steps: steps.map(read) };
}

function parseCondition(given: unknown, at: string): Condition {
  const { fact, above, below } = asObject(given) ?? {};
  const number = (v: unknown): boolean => v === undefined || (typeof v === 'number' && Number.isFinite(v));
  if (typeof fact !== 'string' || !(fact in FACTS) || !number(above) || !number(below)) {
    throw new GeometryError(
      'invalid-parameter',
      `${at}: "when" is { fact, above, below } with numbers; facts are ${Object.keys(FACTS).join(', ')}.`,
    );
  }
  const { above: a, below: b } = { above, below } as Condition;
  return { fact: fact as Fact, ...(a === undefined ? {} : { above: a }), ...(b === undefined ? {} : { below: b }) };
}

const asObject = (value: unknown): Record<string, unknown> | undefined =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Record<string, unknown>) : undefined;
