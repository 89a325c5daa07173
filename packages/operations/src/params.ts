import 'reflect-metadata';
import { plainToInstance, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNumber,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
  ValidateBy,
  type ValidateByOptions,
  ValidateNested,
  validateSync,
  type ValidationError,
} from 'class-validator';
import { DIMENSION_KINDS, type DimensionKind } from '@amber-knit/core/dimensions';
import { faultOfHandEdits } from '@amber-knit/core/handwork';
import { TRUST_MANNERS, type TrustManner } from '@amber-knit/core/fusion';
import { REGION_KINDS, type RegionKind } from '@amber-knit/core/fitting';
import { faultOfTouches } from '@amber-knit/core/retouching';
import { GeometryError } from '@amber-knit/core/runtime';
import { WISH_MANNERS } from '@amber-knit/core/texture';

/** What a form, a command line and a help page need to know of one parameter. */
export interface ParamField {
  name: string;
  kind:
    | 'length'
    | 'count'
    | 'ratio'
    | 'choice'
    | 'flag'
    | 'text'
    | 'scans'
    | 'names'
    | 'pairs'
    | 'pose'
    | 'dimension'
    | 'dimensions'
    | 'placings'
    | 'trust'
    | 'edits'
    | 'reaches'
    | 'pictures';
  title: string;
  help: string;
  unit?: string;
  min?: number;
  max?: number;
  choices?: { value: string; title: string }[];
  /** What 0, or an empty text or list, stands for, in a word or two; such a field may be left empty. */
  whenEmpty?: string;
  /** Seldom changed: shown under *More settings*. */
  more?: boolean;
  default: unknown;
}

type FieldOptions = Omit<ParamField, 'name' | 'kind' | 'default'>;

const FIELDS = Symbol('fields');

function field(kind: ParamField['kind'], options: FieldOptions, rules: PropertyDecorator[]): PropertyDecorator {
  return (target, key) => {
    // What a class inherits comes first.
    const fields = (Reflect.getMetadata(FIELDS, target) as Omit<ParamField, 'default'>[] | undefined) ?? [];
    Reflect.defineMetadata(FIELDS, [...fields, { name: String(key), kind, ...options }], target);
    for (const rule of rules) rule(target, key);
  };
}

type NumberOptions = { title: string; help: string; min: number; max: number; whenEmpty?: string; more?: boolean };
const finite = { allowNaN: false, allowInfinity: false };

/** A length in millimetres. */
export const LengthParam = (o: NumberOptions): PropertyDecorator =>
  field('length', { ...o, unit: 'mm' }, [IsNumber(finite), Min(o.min), Max(o.max)]);

/** The longest side of the object as planned, against which the unit of a file is checked. */
export const PlannedSizeParam = (): PropertyDecorator =>
  LengthParam({
    title: 'Planned size',
    help: 'Longest side of the object. A file whose size agrees with it only in another unit is asked about.',
    min: 0,
    max: 100_000,
    whenEmpty: 'not known',
  });

/** A whole number. */
export const CountParam = (o: NumberOptions & { unit?: string }): PropertyDecorator =>
  field('count', o, [IsInt(), Min(o.min), Max(o.max)]);

/** A plain number, such as a share or a factor. */
export const RatioParam = (o: NumberOptions & { unit?: string }): PropertyDecorator =>
  field('ratio', o, [IsNumber(finite), Min(o.min), Max(o.max)]);

/** One of a few named values. */
export const ChoiceParam = (o: {
  title: string;
  help: string;
  choices: Record<string, string>;
  more?: boolean;
}): PropertyDecorator =>
  field('choice', { ...o, choices: Object.entries(o.choices).map(([value, title]) => ({ value, title })) }, [
    IsIn(Object.keys(o.choices)),
  ]);

/** On or off. */
export const FlagParam = (o: { title: string; help: string; more?: boolean }): PropertyDecorator =>
  field('flag', o, [IsBoolean()]);

/** A short text, or a longer one of so many characters. */
export const TextParam = ({
  longest = 120,
  ...o
}: {
  title: string;
  help: string;
  whenEmpty?: string;
  more?: boolean;
  longest?: number;
}): PropertyDecorator => field('text', o, [IsString(), MaxLength(longest)]);

/** Characters of a list of numbers. */
export const LONGEST_LIST = 20_000;

/** Names of scans; none stands for all, if nothing else is said. */
export const ScansParam = (o: { title: string; help: string; whenEmpty?: string }): PropertyDecorator =>
  field('scans', { whenEmpty: 'all scans', ...o }, [
    IsArray(),
    ArrayMaxSize(1000),
    IsString({ each: true }),
    MaxLength(200, { each: true }),
  ]);

/** A list of names, such as of frames. */
export const NamesParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('names', { ...o, whenEmpty: 'none' }, [
    IsArray(),
    ArrayMaxSize(20_000),
    IsString({ each: true }),
    MaxLength(200, { each: true }),
  ]);

/** A place in the scan that is moved, and the same place in another scan; mm, in each scan's own frame. */
export class PickedPair {
  @IsNumber(finite, { each: true })
  @ArrayMinSize(3)
  @ArrayMaxSize(3)
  from: number[];

  @IsString()
  @MaxLength(200)
  scan: string;

  @IsNumber(finite, { each: true })
  @ArrayMinSize(3)
  @ArrayMaxSize(3)
  onto: number[];
}

/** Pairs of places picked in two scans. */
export const PairsParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('pairs', o, [IsArray(), ArrayMaxSize(200), ValidateNested({ each: true }), Type(() => PickedPair)]);

/** Are these places: lists of three finite numbers? */
const arePlaces = (value: unknown): boolean =>
  Array.isArray(value) &&
  value.every(
    (p) => Array.isArray(p) && p.length === 3 && p.every((c) => Number.isFinite(c) && Math.abs(c as number) < 1e7),
  );

/** Something to be measured on the surface; see core's `Dimension`. */
export class AskedDimension {
  @IsString()
  @MaxLength(80)
  name: string;

  @IsString()
  @MaxLength(400)
  note: string;

  @IsIn(DIMENSION_KINDS)
  kind: DimensionKind;

  @IsArray()
  @ArrayMaxSize(3)
  @ValidateBy({
    name: 'arePlaces',
    validator: { validate: arePlaces, defaultMessage: () => '$property must be places of three numbers each, mm' },
  })
  places: [number, number, number][];

  @IsOptional()
  @IsArray()
  @ArrayMaxSize(2)
  @IsIn(['any', ...REGION_KINDS], { each: true })
  shapes?: (RegionKind | 'any')[];

  @IsOptional()
  @ValidateBy({
    name: 'isDirection',
    validator: {
      validate: (v: unknown) => arePlaces([v]) && (v as number[]).some((c) => c !== 0),
      defaultMessage: () => '$property must be three numbers that are not all 0',
    },
  })
  direction?: [number, number, number];

  @IsOptional()
  @IsNumber(finite)
  nominal?: number;

  @IsOptional()
  @IsNumber(finite)
  level?: number;
}

/** The name of something that was measured. */
export const DimensionParam = (o: {
  title: string;
  help: string;
  whenEmpty: string;
  more?: boolean;
}): PropertyDecorator => field('dimension', o, [IsString(), MaxLength(200)]);

/** What is to be measured. */
export const DimensionsParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('dimensions', { ...o, whenEmpty: 'none' }, [
    IsArray(),
    ArrayMaxSize(500),
    ValidateNested({ each: true }),
    Type(() => AskedDimension),
  ]);

/** Are these balls: lists of four finite numbers, the last above 0? */
const areBalls = (value: unknown): boolean =>
  Array.isArray(value) &&
  value.length > 0 &&
  value.length <= 2000 &&
  value.every(
    (b) =>
      Array.isArray(b) &&
      b.length === 4 &&
      b.every((c) => Number.isFinite(c) && Math.abs(c as number) < 1e7) &&
      (b as number[])[3] > 0,
  );

/** A place where some scans count more or less than others; see core's `TrustRegion`. */
export class AskedTrust {
  @IsString()
  @MaxLength(80)
  name: string;

  @IsIn(TRUST_MANNERS)
  how: TrustManner;

  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(1000)
  @IsString({ each: true })
  @MaxLength(200, { each: true })
  scans: string[];

  @ValidateBy({
    name: 'areBalls',
    validator: {
      validate: areBalls,
      defaultMessage: () => '$property must be balls of four numbers each: middle and radius, mm',
    },
  })
  balls: [number, number, number, number][];

  @IsNumber(finite)
  @Min(0.01)
  @Max(10_000)
  width: number;
}

/** Which scans count where. */
export const TrustParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('trust', { ...o, whenEmpty: 'none' }, [
    IsArray(),
    ArrayMaxSize(200),
    ValidateNested({ each: true }),
    Type(() => AskedTrust),
  ]);

const aBall: ValidateByOptions = {
  name: 'isBall',
  validator: {
    validate: (v: unknown) => areBalls([v]),
    defaultMessage: () => '$property must be four numbers: middle and radius, mm',
  },
};

/** A place where detail is looked for so far; see core's `ReachRegion`. */
export class AskedReach {
  @ValidateBy(aBall)
  ball: [number, number, number, number];

  @IsNumber(finite)
  @Min(0.001)
  @Max(1000)
  reach: number;
}

/** Places where detail is looked for farther or less far than elsewhere. */
export const ReachesParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('reaches', { ...o, whenEmpty: 'none' }, [
    IsArray(),
    ArrayMaxSize(500),
    ValidateNested({ each: true }),
    Type(() => AskedReach),
  ]);

/** What is asked of one picture; see core's `PictureWish`. */
export class AskedPicture {
  @IsString()
  @MaxLength(200)
  scan: string;

  @IsString()
  @MaxLength(200)
  frame: string;

  @IsIn(WISH_MANNERS)
  how: (typeof WISH_MANNERS)[number];

  @IsOptional()
  @ValidateBy(aBall)
  ball?: [number, number, number, number];
}

/** Pictures to colour with rather than with others, or not. */
export const PicturesParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('pictures', { ...o, whenEmpty: 'all' }, [
    IsArray(),
    ArrayMaxSize(1000),
    ValidateNested({ each: true }),
    Type(() => AskedPicture),
  ]);

/** A place for the piece in its surroundings; see core's `Placing`. */
export class AskedPlacing {
  @IsString()
  @MaxLength(80)
  name: string;

  @IsString()
  @MaxLength(400)
  note: string;

  @ValidateBy({
    name: 'isRigidMotion',
    validator: {
      validate: isRigid,
      defaultMessage: () => '$property must be a rigid motion: sixteen numbers, column by column',
    },
  })
  sceneFromPiece: number[];
}

/** Places for the piece in its surroundings. */
export const PlacingsParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('placings', { ...o, whenEmpty: 'none' }, [
    IsArray(),
    ArrayMaxSize(100),
    ValidateNested({ each: true }),
    Type(() => AskedPlacing),
  ]);

/** What was done to a surface by hand, one edit after the other; see core's `HandEdit`. */
export const EditsParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('edits', { ...o, whenEmpty: 'none' }, [
    ValidateBy({
      name: 'areEdits',
      validator: {
        validate: (value: unknown) => faultOfHandEdits(value) === undefined,
        defaultMessage: (given) => `${faultOfHandEdits(given?.value)}`,
      },
    }),
  ]);

/** What was done to a map by hand, one stroke after the other; see core's `Touch`. */
export const TouchesParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('edits', { ...o, whenEmpty: 'none' }, [
    ValidateBy({
      name: 'areTouches',
      validator: {
        validate: (value: unknown) => faultOfTouches(value) === undefined,
        defaultMessage: (given) => `${faultOfTouches(given?.value)}`,
      },
    }),
  ]);

/** Is a value the 16 numbers, column by column, of a motion that keeps shape and size. */
function isRigid(value: unknown): boolean {
  if (!Array.isArray(value) || value.length !== 16 || !value.every((v) => Number.isFinite(v))) return false;
  const m = value as number[];
  const dot = (a: number, b: number): number =>
    m[4 * a] * m[4 * b] + m[4 * a + 1] * m[4 * b + 1] + m[4 * a + 2] * m[4 * b + 2];
  const square = [0, 1, 2].every((a) => [0, 1, 2].every((b) => Math.abs(dot(a, b) - (a === b ? 1 : 0)) < 1e-4));
  const [x, y, z] = [m[1] * m[6] - m[2] * m[5], m[2] * m[4] - m[0] * m[6], m[0] * m[5] - m[1] * m[4]];
  const handed = x * m[8] + y * m[9] + z * m[10] > 0;
  return square && handed && m[3] === 0 && m[7] === 0 && m[11] === 0 && m[15] === 1;
}

/** Where a scan lies: 16 numbers, column by column, of a rigid motion; mm. */
export const PoseParam = (o: { title: string; help: string }): PropertyDecorator =>
  field('pose', o, [
    ValidateBy({
      name: 'isRigid',
      validator: { validate: isRigid, defaultMessage: () => '$property must be a rigid motion of 16 numbers' },
    }),
  ]);

export type ParamsClass<P extends object> = new () => P;

/** The fields of a parameter class, in order, with their defaults. */
export function paramFields<P extends object>(type: ParamsClass<P>): ParamField[] {
  const fields = (Reflect.getMetadata(FIELDS, type.prototype) as Omit<ParamField, 'default'>[] | undefined) ?? [];
  const defaults = new type() as Record<string, unknown>;
  return fields.map((f) => ({ ...f, default: defaults[f.name] }));
}

/**
 * Builds validated parameters from plain values; what is not given takes its default. Names that the class lists as
 * `retired` are passed over: older versions took them, and their steps can be run again.
 * @throws GeometryError `invalid-parameter` that lists every fault
 */
export function parseParams<P extends object>(type: ParamsClass<P>, values: object): P {
  const { retired = [] } = type as { retired?: readonly string[] };
  const current = Object.fromEntries(Object.entries(values).filter(([name]) => !retired.includes(name)));
  const instance = plainToInstance(type, current, { exposeDefaultValues: true });
  const faults = validateSync(instance, { whitelist: true, forbidNonWhitelisted: true, forbidUnknownValues: false });
  if (faults.length > 0) {
    const fields = new Map(paramFields(type).map((f) => [f.name, f]));
    const text = faults.map((f) => {
      const known = fields.get(f.property);
      if (!known) return `"${f.property}" is no parameter of this operation (known: ${[...fields.keys()].join(', ')})`;
      return `${known.title} (${f.property}): ${faultText(f)}`;
    });
    throw new GeometryError('invalid-parameter', `${text.join('. ')}.`);
  }
  return instance;
}

/** What is wrong with a value, or with the first of its parts that is wrong. */
function faultText({ constraints, children }: ValidationError): string {
  if (constraints) return Object.values(constraints).join('; ');
  return children?.[0] ? `${children[0].property}: ${faultText(children[0])}` : 'is not valid';
}

/** Kinds that a command line gives as JSON. */
const AS_JSON: readonly ParamField['kind'][] = [
  'pairs',
  'dimensions',
  'trust',
  'edits',
  'reaches',
  'placings',
  'pictures',
];

/** What a text means as JSON; the text itself if it is none, so that the rules can say what is wrong. */
function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}

/**
 * Turns a text from a command line into a parameter's value. Leaves judging to `parseParams`.
 * @throws GeometryError `invalid-parameter` if the class has no such parameter
 */
export function parseParamText(fields: ParamField[], name: string, text: string): unknown {
  const f = fields.find((x) => x.name === name);
  if (!f) {
    throw new GeometryError(
      'invalid-parameter',
      `"${name}" is no parameter of this operation (known: ${fields.map((x) => x.name).join(', ')}).`,
    );
  }
  if (f.kind === 'flag')
    return text === 'true' || text === 'yes' || text === '1'
      ? true
      : text === 'false' || text === 'no' || text === '0'
        ? false
        : text;
  if (f.kind === 'choice' || f.kind === 'text' || f.kind === 'dimension') return text;
  if (f.kind === 'pose') return text.split(',').map(Number);
  if (AS_JSON.includes(f.kind)) return jsonOf(text);
  if (f.kind === 'scans' || f.kind === 'names') {
    const names = text.split(',').map((n) => n.trim());
    return names.filter((n) => n !== '');
  }
  return text.trim() === '' ? text : Number(text);
}
