import { triangleCount } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { defineOperation } from './operation.js';
import { countText, lengthText, shortCountText } from './quantity-text.js';
import { CountParam, LengthParam } from './params.js';
import { SURFACE_FIGURES } from './surface-figures.js';
import { remade } from './surface-remade.js';

/** More triangles than this would not fit in memory. */
const MOST_TRIANGLES = 20_000_000;

export class MendEvenParams {
  @LengthParam({
    title: 'Edge length',
    min: 0,
    max: 1000,
    help: 'Length that all edges come close to. Empty or 0: the mean length of the edges as they are.',
    whenEmpty: 'as now',
  })
  edge = 0;

  @CountParam({
    title: 'Crease angle',
    unit: '°',
    min: 10,
    max: 180,
    more: true,
    help: 'Edges at which the surface turns by more than this stay as they run. Rims always do.',
  })
  crease = 40;
}

export const mendEven = defineOperation({
  id: 'mend.even',
  version: 1,
  stage: 'mend',
  title: 'Even triangles',
  help: 'Lays a new net of even triangles over the surface: good to sculpt on, to bend, to compute with. Rims and crisp edges stay; corners do not move.',
  words: 'remesh remeshing retopology quads regular uniform isotropic even mesh sculpt',
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendEvenParams,
  suggest: () => ({}),
  async run({ mesh }, params, ctx) {
    const { evenMesh, measureEdges } = await import('@amber-knit/core/remeshing');
    const { surfaceArea } = await import('@amber-knit/core/measure');
    const { findCrossings, inspectTopology } = await import('@amber-knit/core/mesh');
    const before = measureEdges(mesh);
    const edge = params.edge > 0 ? params.edge : before.mean;
    const expected = (4 * surfaceArea(mesh)) / (Math.sqrt(3) * edge * edge);
    if (expected > MOST_TRIANGLES) {
      throw new GeometryError(
        'invalid-parameter',
        `Edges of ${lengthText(edge)} would make ${countText(expected)} triangles, more than ${countText(MOST_TRIANGLES)}. Ask for longer ones.`,
      );
    }
    const positions = evenMesh(mesh, { edge, crease: (params.crease * Math.PI) / 180 }, ctx.part(0, 0.7));
    const { light, moved } = await remade(mesh, positions, ctx.part(0.7, 0.95));
    const crossings = findCrossings(light).length / 2;
    const after = measureEdges(light);
    return {
      outputs: { mesh: light },
      figures: {
        triangles: triangleCount(light),
        edge: after.mean,
        spread: after.spread,
        leastAngle: after.leastAngle,
        trianglesBefore: triangleCount(mesh),
        spreadBefore: before.spread,
        deviationRms: moved.rms,
        deviationMax: moved.max,
        crossings,
        watertight: crossings === 0 && inspectTopology(light).watertight,
      },
    };
  },
  figures: {
    triangles: { kind: 'count', rank: 'headline', label: 'Triangles', help: 'Triangles of the new net.' },
    edge: { kind: 'length', rank: 'headline', label: 'Edge length', help: 'Mean length of its edges.' },
    deviationRms: SURFACE_FIGURES.deviationRms,
    spread: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Spread of lengths',
      help: 'Standard deviation of the edges’ lengths in parts of the mean: 0 would be all alike.',
    },
    leastAngle: {
      kind: 'angle',
      rank: 'detail',
      label: 'Least angle',
      help: 'One triangle in twenty has a smaller angle than this; 60° would be even.',
    },
    deviationMax: SURFACE_FIGURES.deviationMax,
    trianglesBefore: { kind: 'count', rank: 'detail', label: 'Triangles before', help: 'Triangles before.' },
    spreadBefore: {
      kind: 'ratio',
      rank: 'diagnostic',
      label: 'Spread before',
      help: 'Spread of the edges’ lengths before.',
    },
    watertight: { ...SURFACE_FIGURES.watertight, rank: 'detail' },
    crossings: SURFACE_FIGURES.crossings,
  },
  summarize: (f) =>
    `${countText(f.triangles)} triangles with edges of ${lengthText(f.edge)}, ${lengthText(f.deviationRms)} RMS deviation`,
  cell: (f) => ({ figure: `${shortCountText(f.triangles)} tri`, detail: `edges ${lengthText(f.edge)}` }),
});
