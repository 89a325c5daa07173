import { triangleCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { countText, shareText, shortCountText } from './quantity-text.js';
import { ChoiceParam, CountParam, LengthParam, RatioParam } from './params.js';
import { SURFACE_FIGURES } from './surface-figures.js';

export class MendAllParams {
  @LengthParam({
    title: 'Longest rim',
    min: 0,
    max: 10_000,
    help: 'Holes with a longer rim stay open; empty or 0 fills all holes.',
    whenEmpty: 'all',
  })
  maxRim = 0;

  @ChoiceParam({
    title: 'Shape of fillings',
    help: 'Flat spans the hole like a skin; smooth goes on as the surface around does, crisp edges with it.',
    choices: { smooth: 'As around', flat: 'Flat' },
  })
  shape: 'smooth' | 'flat' = 'smooth';

  @RatioParam({
    title: 'Least piece',
    more: true,
    min: 0,
    max: 1,
    help: 'Loose pieces with less than this share of the largest piece are dropped; 1 keeps a single piece.',
  })
  fragmentRatio = 0.05;

  @CountParam({
    title: 'Rim evening',
    more: true,
    unit: 'rounds',
    min: 0,
    max: 20,
    help: 'Rounds of trimming ragged rims before holes are filled. Takes measured triangles away.',
  })
  evenRounds = 0;
}

export const mendAll = defineOperation({
  id: 'mend.all',
  version: 2,
  stage: 'mend',
  title: 'Mend',
  help: 'Removes faults, triangles that cross and loose pieces, and fills holes. What is filled is marked as invented; no filling crosses the surface.',
  words: 'watertight repair fix heal closed solid automatic mesh',
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendAllParams,
  // What the plan wants closed; what is not to be invented stays open.
  suggest: ({ plan }) => (plan?.maxRim === undefined ? {} : { maxRim: plan.maxRim }),
  because: ({ plan }) => (plan?.maxRim === undefined ? {} : { maxRim: 'The plan closes no larger holes.' }),
  async run({ mesh }, params, ctx) {
    const { mendMesh } = await import('@amber-knit/core/mending');
    const { surfaceArea } = await import('@amber-knit/core/measure');
    const r = mendMesh(mesh, params, ctx);
    return {
      outputs: { mesh: r.mesh },
      figures: {
        watertight: r.report.watertight && r.crossingsLeft === 0,
        crossingsFound: r.crossingsFound,
        crossings: r.crossingsLeft,
        wouldCross: r.wouldCross,
        triangles: triangleCount(r.mesh),
        pieces: r.report.pieces,
        filledHoles: r.filledHoles,
        leftOpen: r.leftOpen,
        ...(r.meant > 0 ? { meantOpen: r.meant } : {}),
        ...(r.islandsJoined > 0 ? { islandsJoined: r.islandsJoined } : {}),
        nonManifoldEdges: r.report.nonManifoldEdges,
        inventedRatio: r.inventedArea / surfaceArea(r.mesh),
        removedPieces: r.removedPieces,
        repairedTriangles: r.repairedTriangles,
      },
    };
  },
  figures: {
    watertight: SURFACE_FIGURES.watertight,
    inventedRatio: {
      kind: 'ratio',
      rank: 'headline',
      label: 'Invented',
      help: 'Share of the surface that no scan measured. Scan again where it matters. The limits are common practice, no source.',
      limits: { good: 0.05, bad: 0.25 },
    },
    filledHoles: {
      kind: 'count',
      rank: 'headline',
      label: 'Holes filled',
      help: 'What fills them is marked as invented.',
    },
    leftOpen: {
      kind: 'count',
      rank: 'detail',
      label: 'Holes left open',
      help: 'Their rim is longer than what was to be filled, or they are meant to be open.',
    },
    islandsJoined: {
      kind: 'count',
      rank: 'detail',
      label: 'Islands joined',
      help: 'Pieces of measured surface within holes, which the fillings went on to.',
    },
    meantOpen: {
      kind: 'count',
      rank: 'detail',
      label: 'Meant to be open',
      help: 'Openings that belong to the object, marked in the list of holes.',
    },
    wouldCross: {
      kind: 'count',
      rank: 'detail',
      label: 'Would have crossed',
      help: 'Holes left open because every filling would have crossed the surface.',
    },
    crossingsFound: {
      kind: 'count',
      rank: 'detail',
      label: 'Crossings found',
      help: 'Pairs of triangles that touched or cut each other in what came in.',
    },
    crossings: SURFACE_FIGURES.crossings,
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the surface.' },
    pieces: SURFACE_FIGURES.pieces,
    removedPieces: {
      kind: 'count',
      rank: 'detail',
      label: 'Pieces dropped',
      help: 'Loose pieces that were too small.',
    },
    repairedTriangles: {
      kind: 'count',
      rank: 'diagnostic',
      label: 'Triangles taken out',
      help: 'Triangles at faults, taken out before holes were filled.',
    },
    nonManifoldEdges: SURFACE_FIGURES.nonManifoldEdges,
  },
  summarize: (f) =>
    `${verdictOf(f)}: ${countText(f.filledHoles)} holes filled, ${shareText(f.inventedRatio)} of the surface invented`,
  cell: (f) => ({
    figure: `${shortCountText(f.triangles)} tri`,
    detail: f.watertight ? 'watertight' : 'not watertight',
  }),
});

function verdictOf(f: Partial<Record<'watertight' | 'leftOpen' | 'meantOpen', unknown>>): string {
  if (f.watertight) return 'Watertight';
  const meant = Number(f.meantOpen ?? 0);
  const left = Number(f.leftOpen ?? 0) - meant;
  if (left > 0) return `Not watertight, ${left} ${left === 1 ? 'hole' : 'holes'} left`;
  return meant > 0
    ? `Closed but for ${meant} ${meant === 1 ? 'opening' : 'openings'} meant to be open`
    : 'Not watertight';
}
