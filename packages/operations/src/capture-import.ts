import { boundsOf, diagonalOf, pointCount, vertexNormals, type Scan } from '@amber-knit/core/geometry';
import type { Vec3 } from '@amber-knit/core/math';
import { GeometryError } from '@amber-knit/core/runtime';
import { defineOperation } from './operation.js';
import { count } from './each-scan.js';
import { ChoiceParam, TextParam } from './params.js';
import { UNITS, type Unit } from './units.js';

export class CaptureImportParams {
  @TextParam({ title: 'Name', help: 'Name of the scan; empty takes the file’s.' })
  name = '';

  @ChoiceParam({
    title: 'Unit',
    help: 'Unit of the coordinates in the file. “Millimetres, checked” refuses files that can hardly be in millimetres.',
    choices: { auto: 'Millimetres, checked', mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit | 'auto' = 'auto';

  @ChoiceParam({
    title: 'Sensor',
    help: 'Where the sensor stood in the file’s coordinates. It tells which side of the surface is outside.',
    choices: { auto: 'Guess from the points', origin: 'At the origin', none: 'Not known' },
  })
  viewpoint: 'auto' | 'origin' | 'none' = 'auto';

  @TextParam({
    title: 'Columns',
    help: 'What the columns of a text file hold, such as "x y z - r g b" (also nx ny nz; - is passed over). Empty guesses.',
    whenEmpty: 'guessed',
  })
  columns = '';
}

/** Brings one scan file in: checks it, converts it to millimetres, finds out where the sensor stood. */
export const captureImport = defineOperation({
  id: 'capture.import',
  version: 2,
  stage: 'capture',
  title: 'Import a scan',
  help: 'Reads a scan file (PLY, OBJ, STL, OFF, PCD, GLB, or points as text), checks it and adds it to the piece as a loose scan.',
  needs: ['file'],
  gives: ['scans'],
  params: CaptureImportParams,
  suggest: () => ({}),
  async run({ file }, params, ctx) {
    const { estimateSpacing } = await import('@amber-knit/core/pointcloud');
    ctx.checkpoint(0.05, 'Reading');
    const { scan, notes } = await scanFromFile(file.bytes, file.name, params);
    notes.forEach((n) => ctx.note(n));
    ctx.checkpoint(0.8, 'Checking');
    return {
      outputs: { scans: [scan] },
      figures: {
        name: scan.name,
        points: pointCount(scan.cloud),
        spacing: estimateSpacing(scan.cloud),
        colours: scan.cloud.colors !== undefined,
      },
    };
  },
  summarize: (f) => `${f.name}: ${count(f.points)} points`,
});

/**
 * Reads a scan file into millimetres.
 * @throws GeometryError that names the fault: broken file, too few points, a size that betrays a wrong unit
 */
export async function scanFromFile(
  bytes: Uint8Array,
  fileName: string,
  params: { name?: string; unit: Unit | 'auto'; viewpoint: 'auto' | 'origin' | 'none'; columns?: string },
): Promise<{ scan: Scan; notes: string[] }> {
  const { parseColumns, readAnyScanFile } = await import('@amber-knit/core/io');
  const file = await readAnyScanFile(bytes, fileName, parseColumns(params.columns ?? ''));
  const factor = UNITS[params.unit === 'auto' ? 'mm' : params.unit];
  const positions = factor === 1 ? file.positions : file.positions.map((v) => v * factor);
  const normals = file.normals ?? (file.indices ? vertexNormals({ positions, indices: file.indices }) : undefined);
  const name = params.name || fileName.replace(/^.*[\\/]/, '').replace(/\.[^.]*$/, '');
  if (params.unit === 'auto') assertPlausibleSize(positions);
  if (positions.length / 3 < 100) {
    throw new GeometryError(
      'empty-input',
      `${fileName} holds ${positions.length / 3} points; at least 100 are needed. Check that the scan was saved completely.`,
    );
  }
  const fromOrigin =
    params.viewpoint === 'origin' || (params.viewpoint === 'auto' && !file.indices && looksFromOrigin(positions));
  return {
    scan: {
      name,
      cloud: { positions, normals, colors: file.colors },
      ...(fromOrigin ? { viewpoints: [[0, 0, 0] as Vec3] } : {}),
    },
    notes: file.notes,
  };
}

/** @throws GeometryError `invalid-parameter` for sizes that no scan in millimetres has */
export function assertPlausibleSize(positions: Float32Array): void {
  const d = diagonalOf(boundsOf(positions));
  if (d < 1) {
    throw new GeometryError(
      'invalid-parameter',
      `The scan is only ${d.toPrecision(3)} mm across. If its unit is metres, centimetres or inches, say so (--units on the command line).`,
    );
  }
  if (d > 50_000) {
    throw new GeometryError(
      'invalid-parameter',
      `The scan is ${(d / 1000).toFixed(0)} m across. Say its unit if it is not millimetres; if it is, choose “Millimetres” (--units mm).`,
    );
  }
}

/** Points that all lie in front of the origin, inside a usual field of view, were seen from there. */
export function looksFromOrigin(positions: Float32Array): boolean {
  let outside = 0;
  for (let i = 0; i < positions.length; i += 3) {
    const z = positions[i + 2];
    if (!(z > 0) || Math.abs(positions[i]) > 1.4 * z || Math.abs(positions[i + 1]) > 1.4 * z) outside++;
  }
  return outside <= (0.001 * positions.length) / 3;
}
