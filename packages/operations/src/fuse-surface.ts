import { triangleCount } from '@amber-knit/core/geometry';
import { defineOperation, type PieceStats } from './operation.js';
import { countText, lengthText, shortCountText } from './quantity-text.js';
import { LengthParam } from './params.js';

export class FuseSurfaceParams {
  /** Version 1 kept distances in a band around the surface, as deep as this said. */
  static readonly retired = ['truncationVoxels'];

  @LengthParam({
    title: 'Resolution',
    min: 0.02,
    max: 50,
    help: 'Edge of a voxel: finer shows more detail and takes longer. Below the spacing of the points it only shows noise.',
  })
  voxel = 0.6;
}

export const fuseSurface = defineOperation({
  id: 'fuse.surface',
  version: 2,
  stage: 'fuse',
  title: 'Fuse into one surface',
  help: 'Merges all registered scans into one mesh. Each point counts by the error its scan shows; what no scan saw stays open.',
  needs: ['scans', 'placements'],
  gives: ['mesh'],
  params: FuseSurfaceParams,
  suggest: (s) => ({ voxel: suggestedVoxel(s.spacing, wantedVoxel(s)) }),
  because: (s) => ({
    voxel:
      s.spacing >= wantedVoxel(s)
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
    const mesh = await fuseScans(scans, placements, params, ctx);
    const report = inspectTopology(mesh);
    return {
      outputs: { mesh },
      figures: {
        triangles: triangleCount(mesh),
        vertices: report.vertices,
        pieces: report.pieces,
        rimEdges: report.boundaryEdges,
        voxel: params.voxel,
        expectedError: middleOf(mesh.expectedError),
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
    expectedError: {
      kind: 'length',
      rank: 'detail',
      label: 'Expected error',
      help: 'How far the surface is expected to lie off the true one, one standard deviation, in the middle of all vertices: half are surer. It follows from the spread of the points, their number and their angles; how well the scans are registered is not in it.',
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
  const v = Math.max(spacing, wanted, 0.02);
  return Math.round(v * 100) / 100 || 0.02;
}

/** The middle value of those that are known; undefined if none is. */
function middleOf(values: Float32Array | undefined): number | undefined {
  const known = values?.filter((v) => v >= 0).sort();
  return known?.length ? known[known.length >> 1] : undefined;
}
