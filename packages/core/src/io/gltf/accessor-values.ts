import type { GLTF } from '@gltf-transform/core';
import { GeometryError } from '../../runtime/geometry-error.js';
import { ByteCursor, PartOfSource, sourceOf, type Bytes } from '../byte-source.js';

/** Vectors of numbers that are gone through once, from front to back. */
export interface AccessorValues {
  readonly count: number;
  /** Called with each vector in turn; the array is used again for the next. */
  forEach(visit: (values: readonly number[], i: number) => void): void;
}

/** Numbers in a vector of each type (glTF 2.0, Khronos Group 2021, 3.6.2.2). */
const SIZES: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };

interface Component {
  bytes: number;
  read(view: DataView, at: number): number;
  /** The real number that a normalized whole number stands for (3.11). */
  real(v: number): number;
}

const COMPONENTS: Record<number, Component> = {
  5120: { bytes: 1, read: (v, at) => v.getInt8(at), real: (v) => Math.max(v / 127, -1) },
  5121: { bytes: 1, read: (v, at) => v.getUint8(at), real: (v) => v / 255 },
  5122: { bytes: 2, read: (v, at) => v.getInt16(at, true), real: (v) => Math.max(v / 32767, -1) },
  5123: { bytes: 2, read: (v, at) => v.getUint16(at, true), real: (v) => v / 65535 },
  5125: { bytes: 4, read: (v, at) => v.getUint32(at, true), real: (v) => v },
  5126: { bytes: 4, read: (v, at) => v.getFloat32(at, true), real: (v) => v },
};

/**
 * Values of an accessor, read from its buffer through a window; sparse ones lie over the dense ones, or over zeros.
 * @param buffers of the file, in its order; undefined where one is missing
 * @throws GeometryError `corrupt-file` if the accessor is of no known kind or its buffer holds less than it says
 */
export function accessorValues(
  json: GLTF.IGLTF,
  index: number,
  buffers: readonly (Bytes | undefined)[],
): AccessorValues {
  const def = json.accessors![index];
  const size = SIZES[def.type];
  const component = COMPONENTS[def.componentType];
  if (!size || !component)
    throw new GeometryError('corrupt-file', `List ${index} of the glTF file is of no known kind.`);
  const real = def.normalized ? component.real : (v: number): number => v;
  const plan = { json, buffers, what: `List ${index}` };
  const dense =
    def.bufferView === undefined ? undefined : lay(plan, def.bufferView, def.byteOffset, component, size, def.count);
  const sparse = def.sparse;
  const over = sparse && {
    at: lay(
      plan,
      sparse.indices.bufferView,
      sparse.indices.byteOffset,
      COMPONENTS[sparse.indices.componentType],
      1,
      sparse.count,
    ),
    values: lay(plan, sparse.values.bufferView, sparse.values.byteOffset, component, size, sparse.count),
  };
  return {
    count: def.count,
    forEach(visit) {
      const row = new Array<number>(size).fill(0);
      const base = dense?.start();
      const places = over?.at.start();
      const others = over?.values.start();
      const next = [Infinity];
      let left = sparse?.count ?? 0;
      const step = (): void => {
        next[0] = Infinity;
        if (left-- > 0) places!(next);
      };
      step();
      for (let i = 0; i < def.count; i++) {
        if (base) base(row);
        else row.fill(0);
        // Places rise strictly; one that does not is passed over.
        while (next[0] < i) {
          others!(row.slice());
          step();
        }
        if (next[0] === i) {
          others!(row);
          step();
        }
        for (let k = 0; k < size; k++) row[k] = real(row[k]);
        visit(row, i);
      }
    },
  };
}

/** Rows of numbers in a buffer. */
interface Layout {
  /** Goes to the first row. @returns what reads the next row into an array */
  start(): (into: number[]) => void;
}

function lay(
  { json, buffers, what }: { json: GLTF.IGLTF; buffers: readonly (Bytes | undefined)[]; what: string },
  viewIndex: number,
  offset = 0,
  component: Component | undefined,
  size: number,
  count: number,
): Layout {
  const view = json.bufferViews?.[viewIndex];
  const buffer = view && buffers[view.buffer];
  const uri = view && json.buffers?.[view.buffer]?.uri;
  if (view && !buffer && uri)
    throw new GeometryError('corrupt-file', `The file needs ${uri}, which is not beside it. Pack both into one zip.`);
  if (!view || !buffer || !component) throw new GeometryError('corrupt-file', `${what} of the glTF file has no data.`);
  const each = component.bytes * size;
  const stride = view.byteStride ?? each;
  const held = Math.min(view.byteLength, sourceOf(buffer).size - (view.byteOffset ?? 0)) - offset;
  if (count > 0 && (count - 1) * stride + each > held) {
    throw new GeometryError(
      'corrupt-file',
      `${what} says it holds ${count} values but has only ${Math.max(0, held)} bytes.`,
    );
  }
  const source = new PartOfSource(sourceOf(buffer), (view.byteOffset ?? 0) + offset, held);
  return {
    start() {
      const cursor = new ByteCursor(source);
      return (into) => {
        if (!cursor.need(each)) throw new GeometryError('corrupt-file', `${what} of the glTF file is cut off.`);
        for (let k = 0; k < size; k++) into[k] = component.read(cursor.view, cursor.offset + k * component.bytes);
        cursor.skip(stride);
      };
    },
  };
}
