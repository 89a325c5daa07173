import { triangleCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { count, millimetres } from './each-scan.js';
import { LengthParam, RatioParam } from './params.js';

export class FuseSurfaceParams {
  @LengthParam({
    title: 'Resolution',
    min: 0.02,
    max: 50,
    help: 'Edge of a voxel: finer shows more detail and takes longer. Below the spacing of the points it only shows noise.',
  })
  voxel = 0.6;

  @RatioParam({
    title: 'Depth of the band',
    unit: 'voxels',
    min: 1.5,
    max: 8,
    help: 'How far from the surface distances are kept. Less for thin walls, more for noisy scans.',
  })
  truncationVoxels = 3;
}

export const fuseSurface = defineOperation({
  id: 'fuse.surface',
  version: 1,
  stage: 'fuse',
  title: 'Fuse into one surface',
  help: 'Merges all registered scans into one mesh. The better view of a place weighs more; what no scan saw stays open.',
  needs: ['scans', 'placements'],
  gives: ['mesh'],
  params: FuseSurfaceParams,
  suggest: (s) => ({ voxel: suggestedVoxel(s.spacing, s.plan?.voxel ?? s.diagonal / 320) }),
  async run({ scans, placements }, params, ctx) {
    const { fuseScans } = await import('@amber-knit/core/fusion');
    const { inspectTopology } = await import('@amber-knit/core/mesh');
    const doubtful = placements.filter((p) => p.doubt).length;
    if (doubtful > 0) {
      ctx.note(
        `${doubtful} scans are in doubt and were taken where they are. Choose their places (Register) to be sure.`,
      );
    }
    const mesh = fuseScans(scans, placements, params, ctx);
    const report = inspectTopology(mesh);
    return {
      outputs: { mesh },
      figures: {
        triangles: triangleCount(mesh),
        vertices: report.vertices,
        pieces: report.pieces,
        rimEdges: report.boundaryEdges,
        voxel: params.voxel,
      },
    };
  },
  summarize: (f) => `${count(f.triangles)} triangles at ${millimetres(f.voxel, 2)}`,
});

/** A voxel a little above the points' spacing, but not so fine that a hand-sized object needs millions of triangles. */
/** As fine as the data carry, no finer than what is wanted. */
function suggestedVoxel(spacing: number, wanted: number): number {
  const v = Math.max(1.3 * spacing, wanted, 0.02);
  return Math.round(v * 100) / 100 || 0.02;
}
