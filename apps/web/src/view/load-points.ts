import type { Column } from '@amber-knit/core/bundle';
import type { Vec3 } from '@amber-knit/core/math';
import { normalsOf } from '@amber-knit/core/stored';
import { selectPoints, type PointCloud } from '@amber-knit/core/geometry';
import { loadCut, streamArtifact, type CloudSource } from './load-artifact';

/** All points of a stored cloud. */
export interface StoredPoints {
  positions: Float32Array;
  colors?: Uint8Array;
  normals?: Float32Array;
  /** Where the sensor stood, in the scan's frame. */
  viewpoints: Vec3[];
}

/** Reads a stored cloud whole. @throws Error with the server's words */
export async function loadPoints(
  id: string,
  signal: AbortSignal,
  onProgress: (fraction: number) => void,
): Promise<StoredPoints> {
  let columns: Record<string, Column> = {};
  let normals: Float32Array | undefined;
  let viewpoints: Vec3[] = [];
  await streamArtifact(
    id,
    signal,
    ({ meta, tables }) => {
      const { rows, columns: there } = tables[0];
      const has = (name: string): boolean => there.some((c) => c.name === name);
      columns = { position: new Float32Array(3 * rows) };
      if (has('color')) columns.color = new Uint8Array(3 * rows);
      normals = has('normal') ? new Float32Array(3 * rows) : undefined;
      viewpoints = (meta.viewpoints as Vec3[] | undefined) ?? [];
    },
    (table, first, rows, page) => {
      if (table !== 'points') return;
      for (const [name, part] of Object.entries(page)) columns[name]?.set(part as never, 3 * first);
      normals?.set(normalsOf(page.normal), 3 * first);
      onProgress((first + rows) / (columns.position.length / 3));
    },
  );
  return {
    viewpoints,
    positions: columns.position as Float32Array,
    colors: columns.color as Uint8Array | undefined,
    normals,
  };
}

/** Reads what is left of a scan's points, with where its sensor stood. @throws Error with the server's words */
export async function loadCloud(
  { base, cut }: CloudSource,
  signal: AbortSignal,
  onProgress: (fraction: number) => void,
): Promise<{ cloud: PointCloud; viewpoints: Vec3[] }> {
  const { viewpoints, ...cloud } = await loadPoints(base, signal, onProgress);
  return { cloud: cut ? selectPoints(cloud, (await loadCut(cut)).toArray()) : cloud, viewpoints };
}
