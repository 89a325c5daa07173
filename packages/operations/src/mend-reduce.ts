import { triangleCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { countText, lengthText, shortCountText } from './quantity-text.js';
import { CountParam, LengthParam } from './params.js';
import { SURFACE_FIGURES } from './surface-figures.js';
import { remade, type Moved } from './surface-remade.js';

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

/** Times that a mesh is reduced with a stricter limit where it moved further than it may. */
const MOST_TRIES = 4;

export const mendReduce = defineOperation({
  id: 'mend.reduce',
  version: 3,
  stage: 'mend',
  title: 'Reduce triangles',
  help: 'Reduces the mesh to a number of triangles, flat places first; crisp edges, rims and the volume stay. Says how far the surface moved, measured from both sides.',
  words: 'decimate simplify simplification fewer faces polygon polygons poly count big heavy file small lighter lower',
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
    const { findCrossings, inspectTopology } = await import('@amber-knit/core/mesh');
    const { reduceMesh } = await import('@amber-knit/core/remeshing');
    const before = triangleCount(mesh);
    let limit = params.maxDeviation;
    let light = mesh;
    let moved: Moved = { rms: 0, max: 0 };
    for (let tries = 0; tries < MOST_TRIES; tries++) {
      const share = (f: number): number => (tries + f) / MOST_TRIES;
      const part = params.maxDeviation > 0 ? ctx.part(share(0), share(1)) : ctx;
      const positions = reduceMesh(mesh, { triangles: params.triangles, maxDeviation: limit }, part.part(0, 0.6));
      ({ light, moved } = await remade(mesh, positions, part.part(0.6, 1)));
      // The limit is kept by an estimate: what is measured decides.
      if (params.maxDeviation <= 0 || moved.max <= params.maxDeviation) break;
      limit *= (0.8 * params.maxDeviation) / moved.max;
    }
    const crossings = findCrossings(light).length / 2;
    return {
      outputs: { mesh: light },
      figures: {
        trianglesBefore: before,
        triangles: triangleCount(light),
        crossings,
        watertight: inspectTopology(light).watertight && crossings === 0,
        deviationRms: moved.rms,
        deviationMax: moved.max,
      },
    };
  },
  figures: {
    triangles: { kind: 'count', rank: 'headline', label: 'Triangles', help: 'Triangles that are left.' },
    deviationRms: SURFACE_FIGURES.deviationRms,
    deviationMax: SURFACE_FIGURES.deviationMax,
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
