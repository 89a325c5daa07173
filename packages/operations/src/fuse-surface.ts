import type { SurfaceShape } from '@amber-knit/core/fusion';
import { triangleCount, type Placement, type Scan, type TriangleMesh } from '@amber-knit/core/geometry';
import type { RunContext } from '@amber-knit/core/runtime';
import { defineOperation, type PieceStats } from './operation.js';
import { countText, lengthText, shortCountText } from './quantity-text.js';
import { ChoiceParam, LengthParam } from './params.js';

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

  @ChoiceParam({
    title: 'Shape',
    help: 'Crisp keeps the edges of made things sharp. Even is true to the points everywhere. Calm takes more of the noise away, and the finest detail with it.',
    choices: { crisp: 'Crisp', even: 'Even', calm: 'Calm' },
  })
  shape: SurfaceShape = 'even';

  @ChoiceParam({
    title: 'Where no scan saw',
    help: 'Leave open what no scan saw, close small holes at once, or all. Openings that a scan looked through stay open. What is closed goes on as the surface around does and is marked as invented; Mend does the same later, with more to choose.',
    choices: { open: 'Leave open', small: 'Close small holes', all: 'Close all holes' },
  })
  openings: 'open' | 'small' | 'all' = 'open';

  @LengthParam({
    title: 'Longest rim of a small hole',
    more: true,
    min: 0.1,
    max: 10_000,
    help: 'Holes with a longer rim stay open while small ones are closed.',
  })
  maxRim = 20;
}

export const fuseSurface = defineOperation({
  id: 'fuse.surface',
  version: 3,
  stage: 'fuse',
  title: 'Fuse into one surface',
  help: 'Merges all registered scans into one mesh. Each point counts by the error its scan shows; what no scan saw stays open unless you ask to close it.',
  words: 'stitch merge combine join mesh meshing reconstruct triangulate voxel resolution point clouds',
  needs: ['scans', 'placements'],
  uses: ['trust'],
  gives: ['mesh'],
  params: FuseSurfaceParams,
  suggest: (s) => ({
    voxel: suggestedVoxel(s.spacing, wantedVoxel(s)),
    ...(s.plan?.shape ? { shape: s.plan.shape } : {}),
    ...(s.spacing > 0 ? { maxRim: Number((SMALL_HOLE * s.spacing).toPrecision(2)) } : {}),
  }),
  because: (s) => ({
    voxel:
      s.spacing >= wantedVoxel(s)
        ? `The points lie ${lengthText(s.spacing)} apart: finer would show no more.`
        : s.plan
          ? 'The plan wants no finer.'
          : 'Fine enough for an object of this size.',
    ...(s.plan?.shape ? { shape: SHAPE_REASONS[s.plan.shape] } : {}),
    maxRim: 'About as wide as twelve of the points lie apart.',
  }),
  async run({ scans, placements, trust }, params, ctx) {
    const { fuseScans } = await import('@amber-knit/core/fusion');
    const { inspectTopology } = await import('@amber-knit/core/mesh');
    const doubtful = placements.filter((p) => p.doubt).length;
    if (doubtful > 0) {
      ctx.note(
        `${doubtful} scans are in doubt and were taken where they are. Choose their places (Register) to be sure.`,
      );
    }
    const closing = params.openings !== 'open';
    const options = { ...params, trust: trust?.regions ?? [] };
    const fused = await fuseScans(scans, placements, options, ctx.part(0, closing ? 0.85 : 1));
    const closed = closing
      ? await closeHoles(fused, scans, placements, params, ctx.part(0.85, 1, 'Closing holes'))
      : undefined;
    const mesh = closed?.mesh ?? fused;
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
        measuredOnce: measuredOnce(mesh),
        filledHoles: closed?.filled,
        seenThrough: closed?.seenThrough,
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
    measuredOnce: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Measured by one scan',
      help: 'Share of the vertices that a single scan measured: nothing vouches for it there. The limits are common practice, no source.',
      limits: { good: 0.2, bad: 0.6 },
    },
    filledHoles: {
      kind: 'count',
      rank: 'detail',
      label: 'Holes closed',
      help: 'What closes them is marked as invented.',
    },
    seenThrough: {
      kind: 'count',
      rank: 'detail',
      label: 'Openings left',
      help: 'Holes that a scan looked through: they belong to the object and were left open.',
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

/** A small hole's rim is this many spacings of the points long: it is about twelve of them wide. */
const SMALL_HOLE = 40;

const SHAPE_REASONS: Record<SurfaceShape, string> = {
  crisp: 'Made things have edges (Plan).',
  even: 'True to the points everywhere (Plan).',
  calm: 'Keeps noise off large walls (Plan).',
};

/** A hole through this much of which a scan has looked is an opening of the object. */
const OPENING = 0.3;
/** Sight lines that are asked. */
const LINES = 300_000;

/** Closes the holes that were asked for and that no scan looked through. */
async function closeHoles(
  fused: TriangleMesh,
  scans: Scan[],
  placements: Placement[],
  { openings, maxRim }: FuseSurfaceParams,
  ctx: RunContext,
): Promise<{ mesh: TriangleMesh; filled: number; seenThrough: number }> {
  const { fillHoles, listHoles, seenThrough } = await import('@amber-knit/core/mending');
  const { makeManifold } = await import('@amber-knit/core/mesh');
  const { placedScans, sightLines } = await import('@amber-knit/core/geometry');
  const sound = makeManifold(fused).mesh;
  const holes = listHoles(sound);
  const asked = holes.map((_, i) => i).filter((i) => openings === 'all' || holes[i].length <= maxRim);
  const through = seenThrough(
    sound,
    asked.map((i) => holes[i]),
    sightLines(placedScans(scans, placements), LINES),
  );
  const only = asked.filter((_, k) => through[k] < OPENING);
  if (asked.length > only.length)
    ctx.note(`${asked.length - only.length} openings that a scan looked through were left open.`);
  const { mesh, filled } = fillHoles(sound, { only }, ctx);
  return { mesh, filled, seenThrough: asked.length - only.length };
}

function measuredOnce({ scanCount }: TriangleMesh): number | undefined {
  if (!scanCount?.length) return undefined;
  let measured = 0;
  let once = 0;
  for (const n of scanCount) {
    if (n > 0) measured++;
    if (n === 1) once++;
  }
  return measured > 0 ? once / measured : undefined;
}

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
