import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import type { Figures } from './figures.js';
import type { ArtifactKind, Operation, WorkData } from './operation.js';
import { parseParams } from './params.js';

const NAMES: Record<ArtifactKind, string> = {
  scans: 'scans',
  placements: 'a registration',
  mesh: 'a surface',
  model: 'a coloured surface',
  light: 'a light model',
  dimensions: 'dimensions',
  trust: 'places of trust',
  deviation: 'a comparison',
  surroundings: 'surroundings',
  placings: 'placings',
  file: 'a file',
};

/**
 * Validates, checks that all inputs are there, and runs one operation.
 * @throws GeometryError `invalid-parameter` or `empty-input` before running, and whatever the operation throws
 */
export async function runOperation(
  operation: Operation,
  data: Partial<WorkData>,
  values: object,
  ctx: RunContext,
): Promise<{ outputs: Partial<WorkData>; figures: Figures; params: object }> {
  const params = parseParams(operation.params, values);
  for (const kind of operation.needs) {
    const value = data[kind];
    if (value === undefined || (Array.isArray(value) && value.length === 0)) {
      throw new GeometryError('empty-input', `"${operation.title}" needs ${NAMES[kind]} first.`);
    }
  }
  const result = await operation.run(data as WorkData, params, ctx);
  return { outputs: result.outputs, figures: result.figures as Figures, params };
}
