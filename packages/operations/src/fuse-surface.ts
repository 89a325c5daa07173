import { triangleCount } from '@amber-knit/core/geometry';
import { defineOperation, type PieceStats } from './operation.js';
import { countText, lengthText, shortCountText } from './quantity-text.js';
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
    more: true,
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
  suggest: (s) => ({ voxel: suggestedVoxel(s.spacing, wantedVoxel(s)) }),
  because: (s) => ({
    voxel:
      1.3 * s.spacing >= wantedVoxel(s)
        ? `The points lie ${lengthText(s.spacing)} apart: finer would show no more.`
        : s.plan
          ? 'The plan wants no finer.'
          : 'Fine enough for an object of this size.',
  }),
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
  figures: {
    triangles: { kind: 'count', rank: 'headline', label: 'Triangles', help: 'Triangles of the surface.' },
    voxel: {
      kind: 'length',
      rank: 'headline',
      label: 'Resolution',
      help: 'Edge of a voxel: nothing smaller is in the surface.',
    },
    pieces: {
      kind: 'count',
      rank: 'detail',
      label: 'Pieces',
      help: 'Parts that are not joined to each other. Small ones are mostly stray points; Mend drops them.',
    },
    rimEdges: {
      kind: 'count',
      rank: 'detail',
      label: 'Edges at rims',
      help: 'Edges with a triangle on one side only: there the surface is open.',
    },
    vertices: { kind: 'count', rank: 'diagnostic', label: 'Vertices', help: 'Corners of the triangles.' },
  },
  summarize: (f) => `${countText(f.triangles)} triangles at ${lengthText(f.voxel)}`,
  cell: (f) => ({ figure: lengthText(f.voxel), detail: `${shortCountText(f.triangles)} tri` }),
});

/** What is wanted: what the plan says, else a 320th of the object, which a hand-sized one shows well with a million triangles. */
const wantedVoxel = (s: PieceStats): number => s.plan?.voxel ?? s.diagonal / 320;

/** As fine as the data carry, no finer than what is wanted. */
function suggestedVoxel(spacing: number, wanted: number): number {
  const v = Math.max(1.3 * spacing, wanted, 0.02);
  return Math.round(v * 100) / 100 || 0.02;
}
