import { vertexCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { lengthText } from './quantity-text.js';
import { LengthParam } from './params.js';
import { SURFACE_FIGURES } from './surface-figures.js';

export class MendDenoiseParams {
  @LengthParam({
    title: 'Farthest move',
    min: 0,
    max: 100,
    help: 'No vertex moves further than this. Empty or 0: three times the noise that is found, or the expected error where that is more, so that nothing measured well is smoothed away.',
    whenEmpty: 'by the noise',
  })
  within = 0;
}

export const mendDenoise = defineOperation({
  id: 'mend.denoise',
  version: 1,
  stage: 'mend',
  title: 'Take noise away',
  help: 'Smooths what noise roughened and keeps edges and shape: each vertex goes where smooth pieces of surface, fitted on both sides of the edges, meet. Triangles and rims stay.',
  words: 'noise noisy rough smooth smoothing denoise grain grainy',
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendDenoiseParams,
  suggest: () => ({}),
  async run({ mesh }, params, ctx) {
    const { denoiseMesh } = await import('@amber-knit/core/smoothing');
    const { inspectTopology } = await import('@amber-knit/core/mesh');
    const r = denoiseMesh(mesh, params, ctx.part(0, 0.9));
    ctx.checkpoint(0.9);
    let squares = 0;
    let farthest = 0;
    for (const d of r.moved) {
      squares += d * d;
      farthest = Math.max(farthest, d);
    }
    return {
      outputs: { mesh: r.mesh },
      figures: {
        noise: r.noise,
        movedRms: Math.sqrt(squares / Math.max(1, vertexCount(mesh))),
        movedMax: farthest,
        crossings: r.crossings,
        watertight: r.crossings === 0 && inspectTopology(r.mesh).watertight,
      },
    };
  },
  figures: {
    noise: {
      kind: 'length',
      rank: 'headline',
      label: 'Noise found',
      help: 'Roughness along the normals, one standard deviation, from what smooth fits to the surface leave over.',
    },
    movedRms: {
      kind: 'length',
      rank: 'headline',
      label: 'Moved',
      help: 'How far vertices moved, root mean square.',
    },
    movedMax: {
      kind: 'length',
      rank: 'detail',
      label: 'Farthest move',
      help: 'How far the vertex moved that moved most.',
    },
    watertight: { ...SURFACE_FIGURES.watertight, rank: 'detail' },
    crossings: SURFACE_FIGURES.crossings,
  },
  summarize: (f) => `noise of ${lengthText(f.noise)} found, vertices moved ${lengthText(f.movedRms)} RMS`,
  cell: (f) => ({ figure: lengthText(f.movedRms), detail: 'smoothed' }),
});
