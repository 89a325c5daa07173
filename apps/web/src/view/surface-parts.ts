import {
  KNOWN_ATTRIBUTES,
  KNOWN_NAMES,
  type BakedKind,
  type FailedPlace,
  type VertexKnowledge,
} from '@amber-knit/core/geometry';
import { streamArtifact } from './load-artifact';

/** A stored mesh or model as arrays. */
export interface SurfaceParts extends VertexKnowledge {
  positions: Float32Array;
  normals?: Float32Array;
  colors?: Uint8Array;
  indices: Uint32Array;
  /** Two for each corner of a triangle. */
  uvs?: Float32Array;
  png?: Uint8Array;
  /** Of a light surface: tangent and sign, four for each corner, its other maps packed, and where detail was lost. */
  tangents?: Float32Array;
  maps?: Partial<Record<BakedKind, Uint8Array>>;
  ranges?: Partial<Record<BakedKind, [number, number]>>;
  failed?: FailedPlace[];
  bounds: { min: number[]; max: number[] };
}

/** Tables of maps are called so, and their kind. */
const MAP_TABLE = 'map ';
const WITHOUT_MAPS = { uvs: undefined, tangents: undefined, maps: undefined };
/** What takes longer than this to arrive is shown in parts, ms: each costs a moment of its own. */
const SLOW_MS = 600;

/**
 * Streams a surface. As soon as all vertices and the coarse triangles among them are there, `onEarly` gets a first
 * version; over a slow connection also the whole shape before its map, and with its map before further ones. The promise
 * gives the whole. @throws Error with the server's words
 */
export async function streamSurface(
  artifactId: string,
  signal: AbortSignal,
  onEarly: (parts: SurfaceParts) => void,
): Promise<SurfaceParts> {
  const none = new Uint32Array(0);
  const parts: SurfaceParts = { positions: new Float32Array(0), indices: none, bounds: { min: [], max: [] } };
  let coarse = none;
  let vertexRows = 0;
  let loadedRows = 0;
  const began = performance.now();
  const isSlow = (): boolean => performance.now() - began > SLOW_MS;
  const put = <A extends Float32Array | Uint8Array | Uint32Array>(target: A | undefined, at: number, data: unknown) =>
    target?.set(data as A, at);
  await streamArtifact(
    artifactId,
    signal,
    (header) => {
      parts.bounds = header.meta.bounds as SurfaceParts['bounds'];
      for (const names of KNOWN_NAMES) if (header.meta[names]) Object.assign(parts, { [names]: header.meta[names] });
      const maps = header.meta.maps as { kind: BakedKind; range?: [number, number] }[] | undefined;
      if (maps) {
        parts.maps = {};
        parts.ranges = Object.fromEntries(maps.flatMap(({ kind, range }) => (range ? [[kind, range]] : [])));
        parts.failed = header.meta.failed as FailedPlace[];
      }
      for (const t of header.tables) {
        const has = (name: string): boolean => t.columns.some((c) => c.name === name);
        if (t.name === 'vertices') {
          vertexRows = t.rows;
          parts.positions = new Float32Array(3 * t.rows);
          if (has('color')) parts.colors = new Uint8Array(3 * t.rows);
          for (const { name, array } of KNOWN_ATTRIBUTES) {
            const size = t.columns.find((c) => c.name === name)?.size;
            if (size) Object.assign(parts, { [name]: new array(size * t.rows) });
          }
          if (has('normal')) parts.normals = new Float32Array(3 * t.rows);
        } else if (t.name === 'coarse') coarse = new Uint32Array(3 * t.rows);
        else if (t.name === 'faces') {
          parts.indices = new Uint32Array(3 * t.rows);
          if (has('uv')) parts.uvs = new Float32Array(6 * t.rows);
          if (has('tangent')) parts.tangents = new Float32Array(12 * t.rows);
        }
      }
    },
    (table, first, rows, columns) => {
      if (table === 'vertices') {
        put(parts.positions, 3 * first, columns.position);
        put(parts.colors, 3 * first, columns.color);
        for (const { name } of KNOWN_ATTRIBUTES) {
          const values = parts[name];
          if (values) put(values, (values.length / vertexRows) * first, columns[name]);
        }
        put(parts.normals, 3 * first, columns.normal);
        loadedRows += rows;
      } else if (table === 'coarse') {
        put(coarse, 3 * first, columns.index);
        const complete = first + rows === coarse.length / 3 && loadedRows === vertexRows;
        if (complete) onEarly({ ...parts, indices: coarse, uvs: undefined });
      } else if (table === 'faces') {
        put(parts.indices, 3 * first, columns.index);
        put(parts.uvs, 6 * first, columns.uv);
        put(parts.tangents, 12 * first, columns.tangent);
        if (first + rows === parts.indices.length / 3 && parts.uvs && isSlow()) onEarly({ ...parts, ...WITHOUT_MAPS });
      } else if (table === 'texture') {
        parts.png = columns.png as Uint8Array;
        if (parts.maps && isSlow()) onEarly({ ...parts, maps: undefined, tangents: undefined });
      } else if (table.startsWith(MAP_TABLE) && parts.maps)
        parts.maps[table.slice(MAP_TABLE.length) as BakedKind] = columns.png as Uint8Array;
    },
  );
  return parts;
}
