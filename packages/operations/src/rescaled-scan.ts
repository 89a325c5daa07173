import type { Scan } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';

/**
 * A scan with all its lengths multiplied.
 * @throws GeometryError `invalid-parameter` for one from depth pictures: they say how far away everything was
 */
export function rescaledScan(scan: Scan, factor: number): Scan {
  if (scan.frames?.length || scan.droppedFrames?.length) {
    throw new GeometryError(
      'invalid-parameter',
      `"${scan.name}" comes from depth pictures, which say how far away everything was. Correct depthUnitsPerMm and bring it in again.`,
    );
  }
  const times = (v: Float32Array): Float32Array => v.map((x) => x * factor);
  const { normals, colors } = scan.cloud;
  return {
    ...scan,
    cloud: { positions: times(scan.cloud.positions), normals, colors },
    storedAs: undefined,
    whole: undefined,
    backdrop: scan.backdrop && times(scan.backdrop),
    viewpoints: scan.viewpoints?.map(([x, y, z]) => [x * factor, y * factor, z * factor]),
  };
}
