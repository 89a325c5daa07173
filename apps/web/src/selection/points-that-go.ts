import { BitSet, selectPoints, type Scan } from '@amber-knit/core/geometry';
import type { Vec3 } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import type { SelectableCloud } from '@amber-knit/core/selection';

/** A scan as an operation is to see it. */
export interface JudgedScan {
  name: string;
  cloud: SelectableCloud;
  viewpoints: Vec3[];
}

/**
 * The points that an operation would leave out, for each scan: the operation itself is run, on the points that are
 * there now. Nothing is changed.
 * @throws GeometryError as the operation does
 */
export async function pointsThatGo(
  operationId: string,
  params: object,
  scans: readonly JudgedScan[],
  onProgress: (fraction: number) => void,
): Promise<BitSet[]> {
  // Loaded when first asked for: it is large.
  const { runOperation, TAKING_AWAY } = await import('@amber-knit/operations/taking-away');
  const operation = TAKING_AWAY.find((o) => o.id === operationId);
  if (!operation) throw new Error(`${operationId} can't be shown beforehand.`);
  const given = scans.map(({ name, cloud, viewpoints }): Scan => {
    const { present, positions, colors, normals } = cloud;
    const rows = present.toArray();
    return { name, cloud: { ...selectPoints({ positions, colors, normals }, rows), rows }, viewpoints };
  });
  const { outputs } = await runOperation(operation, { scans: given }, params, createRunContext({ onProgress }));
  return scans.map(({ name, cloud }) => {
    const gone = cloud.present.difference(new BitSet(cloud.present.size));
    for (const row of outputs.scans!.find((s) => s.name === name)!.cloud.rows!) gone.delete(row);
    return gone;
  });
}
