import { triangleCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { countText, lengthText, shortCountText } from './quantity-text.js';
import { CountParam, LengthParam } from './params.js';
import { SURFACE_FIGURES } from './surface-figures.js';

export class MendReduceParams {
  @CountParam({ title: 'Triangles', min: 100, max: 20_000_000, help: 'Wanted number of triangles.' })
  triangles = 200_000;

  @LengthParam({
    title: 'Largest deviation',
    min: 0,
    max: 100,
    help: 'Stops earlier rather than move the surface further than this; empty or 0 sets no limit.',
    whenEmpty: 'none',
  })
  maxDeviation = 0;
}

export const mendReduce = defineOperation({
  id: 'mend.reduce',
  version: 2,
  stage: 'mend',
  title: 'Reduce triangles',
  help: 'Reduces the mesh to a number of triangles, flat places first, and says how far the surface moved.',
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendReduceParams,
  suggest: (s) => ({
    triangles:
      s.triangles > 0 ? Math.min(s.plan?.triangles ?? 200_000, Math.max(100, Math.round(s.triangles / 2))) : 200_000,
  }),
  because: (s) => ({
    triangles:
      s.plan && s.plan.triangles < s.triangles / 2
        ? 'From the plan: what the model is for.'
        : 'Half of what there are, at most.',
  }),
  async run({ mesh }, params, ctx) {
    const { findCrossings, simplifyMesh, inspectTopology } = await import('@amber-knit/core/mesh');
    const { mendMesh } = await import('@amber-knit/core/mending');
    const { measureDeviation } = await import('@amber-knit/core/measure');
    const before = inspectTopology(mesh);
    ctx.checkpoint(0.05);
    let { mesh: light } = await simplifyMesh(mesh, params);
    ctx.checkpoint(0.6);
    const after = inspectTopology(light);
    if (before.watertight && (!after.watertight || after.pieces > before.pieces)) {
      // Collapsing can pinch a thin place: mend what came of it.
      const fragmentRatio = before.pieces === 1 ? 1 : 0;
      light = mendMesh(light, { evenRounds: 0, fragmentRatio }, ctx.part(0.6, 0.7)).mesh;
    }
    const crossings = findCrossings(light).length / 2;
    const deviation = measureDeviation(mesh.positions, light, 1e6, ctx.part(0.7, 1));
    return {
      outputs: { mesh: light },
      figures: {
        trianglesBefore: triangleCount(mesh),
        triangles: triangleCount(light),
        crossings,
        watertight: inspectTopology(light).watertight && crossings === 0,
        deviationRms: deviation.rms,
        deviationMax: deviation.max,
      },
    };
  },
  figures: {
    triangles: { kind: 'count', rank: 'headline', label: 'Triangles', help: 'Triangles that are left.' },
    deviationRms: {
      kind: 'length',
      rank: 'headline',
      label: 'Deviation',
      help: 'Distance between the surface before and now, root mean square.',
    },
    deviationMax: {
      kind: 'length',
      rank: 'detail',
      label: 'Largest deviation',
      help: 'The largest distance between the surface before and now.',
    },
    trianglesBefore: { kind: 'count', rank: 'detail', label: 'Triangles before', help: 'Triangles before.' },
    watertight: { ...SURFACE_FIGURES.watertight, rank: 'detail' },
    crossings: SURFACE_FIGURES.crossings,
  },
  summarize: (f) =>
    `${countText(f.trianglesBefore)} to ${countText(f.triangles)} triangles, ${lengthText(f.deviationRms)} RMS deviation`,
  cell: (f) => ({
    figure: `${shortCountText(f.triangles)} tri`,
    detail: f.watertight ? 'watertight' : 'not watertight',
  }),
});
