import { createRandom, type Random } from '@amber-knit/core/math';

/** What an OpenAPI 3 description says, as far as requests are made from it. */
export interface ApiDescription {
  paths: Record<string, Record<string, RouteDescription>>;
  components: { schemas: Record<string, Schema> };
}

interface RouteDescription {
  parameters?: { name: string; in: 'path' | 'query' | 'header'; schema?: Schema }[];
  requestBody?: { content: Record<string, { schema: Schema }> };
}

interface Schema {
  $ref?: string;
  type?: string;
  enum?: unknown[];
  example?: unknown;
  properties?: Record<string, Schema>;
  items?: Schema;
}

/** A request that nobody sends on purpose. */
export interface OddRequest {
  method: string;
  path: string;
  headers: Record<string, string>;
  body?: string;
}

const DEEP = 400;
/** What stands where a value of some kind is wanted. */
const ODD_VALUES: unknown[] = [
  null,
  true,
  -1,
  0.5,
  2 ** 31,
  1e308,
  Number.MAX_SAFE_INTEGER,
  '',
  ' ',
  '\u0000',
  '\ud800',
  '‮jug',
  'x'.repeat(20_000),
  "'; DROP TABLE piece; --",
  '../../etc/passwd',
  '{"a":1}',
  [],
  {},
  [null],
  { __proto__: { a: 1 }, constructor: 1, length: -1 },
  Array.from({ length: 2000 }, (_, i) => i),
];
const ODD_PARTS = [
  'x',
  '%00',
  '%ff',
  '%2e%2e%2f',
  '-1',
  '99999999999999999999',
  '00000000-0000-4000-8000-000000000000',
  '%F0%9F%AB%96',
  'a'.repeat(3000),
  '%27%3B--',
  '*',
];
const ODD_HEADERS: [string, string][] = [
  ['content-type', 'text/plain'],
  ['content-type', 'application/json; charset=utf-7'],
  ['accept', 'text/html'],
  ['range', 'bytes=9-1,-,5-'],
  ['if-none-match', '"x'],
  ['last-event-id', '-1'],
  ['content-length-x', '1'],
  ['cookie', 'amber-session=%00; amber-session=x'],
  ['upload-length', '-1'],
  ['upload-offset', 'NaN'],
];

/**
 * Requests made from a description of an API: bodies that are nearly right, with one to three values of another kind; wrong ids
 * and right ones; words for numbers. The same seed makes the same requests.
 *
 * @param known values of path parameters that are there, by the name of the parameter
 */
export function* oddRequests(
  api: ApiDescription,
  known: Readonly<Record<string, readonly string[]>>,
  each: number,
  seed: number,
): Generator<OddRequest> {
  const random = createRandom(seed);
  for (let round = 0; round < each; round++)
    for (const [path, methods] of Object.entries(api.paths))
      for (const [method, route] of Object.entries(methods)) yield oddRequest(api, method, path, route, known, random);
}

const one = <T>(list: readonly T[], random: Random): T => list[Math.floor(random() * list.length)];

function oddRequest(
  api: ApiDescription,
  method: string,
  path: string,
  { parameters = [], requestBody }: RouteDescription,
  known: Readonly<Record<string, readonly string[]>>,
  random: Random,
): OddRequest {
  const filled = path.replace(/\{(\w+)\}/g, (_, name: string) =>
    random() < 0.7 && known[name] ? one(known[name], random) : one(ODD_PARTS, random),
  );
  const query = parameters
    .filter((p) => p.in === 'query' && random() < 0.7)
    .map((p) => `${p.name}=${random() < 0.5 ? one(ODD_PARTS, random) : encodeURIComponent(textOf(p.schema, random))}`);
  const headers: Record<string, string> = { 'content-type': 'application/json' };
  if (random() < 0.2) Object.assign(headers, Object.fromEntries([one(ODD_HEADERS, random)]));
  const schema = requestBody?.content['application/json']?.schema;
  const body = method === 'get' || method === 'head' ? undefined : bodyFor(api, schema, random);
  return { method: method.toUpperCase(), path: query.length ? `${filled}?${query.join('&')}` : filled, headers, body };
}

const textOf = (schema: Schema | undefined, random: Random): string =>
  String(schema?.enum ? one(schema.enum, random) : schema?.type === 'number' ? Math.round(1000 * random()) : 'jug');

function bodyFor(api: ApiDescription, schema: Schema | undefined, random: Random): string | undefined {
  const kind = random();
  if (kind < 0.04) return one(['{', '', '[]', 'null', '"x"', '{"a":', '\u0000'], random);
  if (kind < 0.06) return '['.repeat(DEEP) + ']'.repeat(DEEP);
  const whole = schema ? (valueFor(api, schema, random, 0) as Record<string, unknown>) : {};
  const keys = Object.keys(whole);
  for (let k = 0; k < 1 + 3 * random() && keys.length > 0; k++) {
    const key = one(keys, random);
    if (random() < 0.2) delete whole[key];
    else whole[key] = one(ODD_VALUES, random);
  }
  if (random() < 0.1) whole.unasked = one(ODD_VALUES, random);
  return JSON.stringify(whole);
}

/** A value as the description wants it. */
function valueFor(api: ApiDescription, schema: Schema, random: Random, depth: number): unknown {
  if (schema.$ref && depth < 6)
    return valueFor(api, api.components.schemas[schema.$ref.split('/').at(-1)!], random, depth + 1);
  if (schema.example !== undefined && random() < 0.7) return schema.example;
  if (schema.enum) return one(schema.enum, random);
  if (schema.properties)
    return Object.fromEntries(
      Object.entries(schema.properties).map(([k, s]) => [k, valueFor(api, s, random, depth + 1)]),
    );
  if (schema.type === 'array') return depth < 6 ? [valueFor(api, schema.items ?? {}, random, depth + 1)] : [];
  if (schema.type === 'number' || schema.type === 'integer') return Math.round(100 * random());
  if (schema.type === 'boolean') return random() < 0.5;
  return schema.type === 'object' ? {} : 'jug';
}
