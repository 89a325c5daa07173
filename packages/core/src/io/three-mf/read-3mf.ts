import { SaxesParser } from 'saxes';
import { GeometryError } from '../../runtime/geometry-error.js';
import { GrowingArray } from '../../runtime/growing-array.js';
import type { ByteSource } from '../byte-source.js';
import { assertCount, cleanScanFile, type ScanFile } from '../scan-file.js';

/** Millimetres in each unit that the standard knows. */
const MILLIMETRES: Record<string, number> = {
  micron: 0.001,
  millimeter: 1,
  centimeter: 10,
  inch: 25.4,
  foot: 304.8,
  meter: 1000,
};
/** Rows of three and a shift, as the standard writes a transform. */
type Transform = number[];
const STAY: Transform = [1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0];
/** Objects within objects, at most so deep. */
const DEEPEST = 32;
/** Bytes that are read and parsed at a time. */
const CHUNK = 1 << 20;
const WHITE = 0xffffff;

interface ObjectOf3mf {
  positions: GrowingArray<Float32Array>;
  indices: GrowingArray<Uint32Array>;
  /** Colours of its vertices, as far as its triangles tell: red, green and blue in one number. */
  colors: Map<number, number>;
  parts: { id: string; place: Transform }[];
}

interface Model {
  /** Millimetres in its unit. */
  scale: number;
  objects: Map<string, ObjectOf3mf>;
  items: { id: string; place: Transform }[];
  hasMap: boolean;
}

/** True if an archive's files are those of a 3MF package. */
export function isPackage3mf(files: ReadonlyMap<string, ByteSource>): boolean {
  return modelPath(files) !== undefined && files.has('[Content_Types].xml');
}

const modelPath = (files: ReadonlyMap<string, ByteSource>): string | undefined =>
  files.has('3D/3dmodel.model') ? '3D/3dmodel.model' : [...files.keys()].find((p) => /\.model$/i.test(p));

/**
 * Reads the objects that a 3MF package builds, put where it builds them, in millimetres; colours of corners become those of
 * their vertices. Maps are not read.
 * Source: 3MF Consortium, 3D Manufacturing Format, Core Specification 1.3, and Materials and Properties Extension 1.2.1.
 * @throws GeometryError `corrupt-file`, `too-large`, `empty-input`, `unsupported-format`
 */
export function read3mf(files: ReadonlyMap<string, ByteSource>): ScanFile {
  const model = parseModel(files.get(modelPath(files)!)!);
  const positions = new GrowingArray(Float32Array);
  const indices = new GrowingArray(Uint32Array);
  const colors = new GrowingArray(Uint8Array);
  let colored = false;
  const items = model.items.length > 0 ? model.items : [...model.objects.keys()].map((id) => ({ id, place: STAY }));
  const add = (id: string, place: Transform, depth: number): void => {
    const object = model.objects.get(id);
    if (!object) throw corrupt(`it builds an object "${id}" that it does not hold`);
    if (depth > DEEPEST) throw corrupt('its objects lie within one another without end');
    const first = positions.length / 3;
    assertCount(first + object.positions.length / 3, 'points');
    for (let i = 0; i < object.positions.length; i += 3) {
      const [x, y, z] = [object.positions.at(i), object.positions.at(i + 1), object.positions.at(i + 2)];
      positions.push(...(moved(place, x, y, z).map((c) => c * model.scale) as [number, number, number]));
      const color = object.colors.get(i / 3) ?? WHITE;
      colors.push(color >> 16, (color >> 8) & 255, color & 255);
    }
    if (object.colors.size > 0) colored = true;
    for (let i = 0; i < object.indices.length; i++) {
      const v = object.indices.at(i);
      if (v >= object.positions.length / 3)
        throw corrupt(`a triangle names vertex ${v}, of ${object.positions.length / 3}`);
      indices.push(first + v);
    }
    for (const part of object.parts) add(part.id, after(part.place, place), depth + 1);
  };
  for (const { id, place } of items) add(id, place, 0);
  return cleanScanFile({
    format: '3mf',
    positions: positions.toArray(),
    indices: indices.toArray(),
    ...(colored ? { colors: colors.toArray() } : {}),
    companions: [],
    inMillimetres: true,
    notes: model.hasMap
      ? ['The map in the file was not read: 3MF is read for its shape and the colours of its points.']
      : [],
  });
}

const corrupt = (what: string): GeometryError =>
  new GeometryError('corrupt-file', `The 3MF file is damaged: ${what}. Export it again.`);

/** Row vector times matrix, as the standard has it. */
function moved(m: Transform, x: number, y: number, z: number): [number, number, number] {
  return [
    x * m[0] + y * m[3] + z * m[6] + m[9],
    x * m[1] + y * m[4] + z * m[7] + m[10],
    x * m[2] + y * m[5] + z * m[8] + m[11],
  ];
}

/** First `a`, then `b`. */
function after(a: Transform, b: Transform): Transform {
  const [x, y, z, t] = [0, 3, 6, 9].map((i) => moved(b, a[i], a[i + 1], a[i + 2]));
  const turned = (r: number[]): number[] => r.map((c, k) => c - b[9 + k]);
  return [...turned(x), ...turned(y), ...turned(z), ...t];
}

function parseModel(source: ByteSource): Model {
  const model: Model = { scale: 1, objects: new Map(), items: [], hasMap: false };
  const palettes = new Map<string, number[]>();
  let object: ObjectOf3mf | undefined;
  let usual = { group: '', entry: 0 };
  let palette: number[] = [];
  const parser = new SaxesParser();
  parser.on('error', (e) => {
    throw corrupt(`its model can't be read (${e.message.slice(0, 120)})`);
  });
  // The standard forbids document types, and those are where entities that blow up come from.
  parser.on('doctype', () => {
    throw corrupt('its model declares a document type');
  });
  parser.on('opentag', ({ name, attributes }) => {
    const a = attributes as Record<string, string>;
    const number = (of: string): number => {
      const v = Number(a[of]);
      if (a[of] === undefined || !Number.isFinite(v)) throw corrupt(`a ${name} has "${a[of] ?? 'no'}" as its ${of}`);
      return v;
    };
    switch (name.replace(/^.*:/, '')) {
      case 'model':
        model.scale = MILLIMETRES[a.unit ?? 'millimeter'];
        if (!model.scale) throw corrupt(`its unit is "${a.unit}", which the standard does not know`);
        break;
      case 'colorgroup':
        palettes.set(a.id, (palette = []));
        break;
      case 'color':
        palette.push(parseInt((a.color ?? '').slice(1, 7), 16) || 0);
        break;
      case 'texture2d':
        model.hasMap = true;
        break;
      case 'object':
        object = {
          positions: new GrowingArray(Float32Array),
          indices: new GrowingArray(Uint32Array),
          colors: new Map(),
          parts: [],
        };
        usual = { group: a.pid ?? '', entry: Number(a.pindex ?? 0) };
        model.objects.set(a.id, object);
        break;
      case 'vertex':
        object?.positions.push(number('x'), number('y'), number('z'));
        break;
      case 'triangle': {
        const corners = [number('v1'), number('v2'), number('v3')];
        object?.indices.push(...(corners as [number, number, number]));
        const group = palettes.get(a.pid ?? usual.group);
        if (!group) break;
        const first = a.p1 ?? String(usual.entry);
        [first, a.p2 ?? first, a.p3 ?? first].forEach((entry, k) => {
          const color = group[Number(entry)];
          if (color !== undefined) object?.colors.set(corners[k], color);
        });
        break;
      }
      case 'component':
        object?.parts.push({ id: a.objectid, place: placeOf(a.transform) });
        break;
      case 'item':
        model.items.push({ id: a.objectid, place: placeOf(a.transform) });
    }
  });
  const decoder = new TextDecoder();
  const chunk = new Uint8Array(CHUNK);
  for (let at = 0; at < source.size;) {
    const held = source.read(at, chunk);
    if (held === 0) throw corrupt('it is cut off');
    at += held;
    parser.write(decoder.decode(chunk.subarray(0, held), { stream: true }));
    for (const { positions, indices } of model.objects.values()) {
      assertCount(positions.length / 3, 'points');
      assertCount(indices.length / 3, 'triangles');
    }
  }
  parser.close();
  return model;
}

function placeOf(text: string | undefined): Transform {
  if (text === undefined) return STAY;
  const m = text.trim().split(/\s+/).map(Number);
  if (m.length !== 12 || m.some((v) => !Number.isFinite(v))) throw corrupt('a transform does not have 12 numbers');
  return m;
}
