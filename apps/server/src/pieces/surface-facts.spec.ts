import type { ArtifactView } from '@amber-knit/contracts';
import type { StepStatus } from '@amber-knit/contracts';
import { surfaceFacts } from './surface-facts.js';

const artifact = (id: string, facts: ArtifactView['facts']): ArtifactView => ({
  id,
  kind: 'mesh',
  bytes: 1,
  facts,
  stepId: null,
});
const step = (
  operationId: string,
  inputs: string[],
  outputs: string[],
  figures: Record<string, number> = {},
  status: StepStatus = 'done',
) => ({ operationId, inputs, outputs, figures, status });
const facts = { watertight: true, holes: 0, pieces: 2, colours: false, lowest: 0, longest: 90 };
const mesh = artifact('m2', facts);

test('of a surface that was set upright what was told of it before still holds', () => {
  const steps = [
    step('check.inspect', ['m0'], [], { crossings: 9, insideOut: 1 }),
    step('mend.all', ['m0'], ['m1'], { crossings: 0 }),
    step('check.inspect', ['m1'], [], { crossings: 0, insideOut: 0, innerPieces: 1 }),
    step('check.upright', ['m1'], ['m2']),
  ];
  expect(surfaceFacts({ mesh, model: null, light: null }, steps)).toEqual({
    closed: true,
    holes: 0,
    pieces: 1,
    hasColors: false,
    lowest: 0,
    longest: 90,
    upright: true,
    crossings: 0,
    insideOut: 0,
  });
});

test('what was told of another surface, or by a step that failed, does not count', () => {
  const steps = [
    step('check.inspect', ['m1'], [], { crossings: 0 }),
    step('mend.reduce', ['m1'], ['m2']),
    step('check.inspect', ['m2'], [], { crossings: 3 }, 'failed'),
    step('check.compare', ['m2'], [], { crossings: 5 }),
  ];
  const found = surfaceFacts({ mesh, model: artifact('t', {}), light: artifact('l', { triangles: 700 }) }, steps)!;
  expect(found.crossings).toBeUndefined();
  expect([found.upright, found.hasColors, found.lightTriangles]).toEqual([false, true, 700]);
  expect(surfaceFacts({ mesh: null, model: null, light: null }, steps)).toBeNull();
});
