import type { FigureFields } from './figures.js';

/** What several operations tell of a surface, in the same words. */
export const SURFACE_FIGURES = {
  watertight: {
    kind: 'flag',
    rank: 'headline',
    label: 'Closed',
    help: 'The surface has no rim, and every edge joins two triangles.',
    good: true,
  },
  pieces: { kind: 'count', rank: 'detail', label: 'Pieces', help: 'Parts that are not joined to each other.' },
  nonManifoldEdges: {
    kind: 'count',
    rank: 'diagnostic',
    label: 'Edges of three or more',
    help: 'Edges at which more than two triangles meet. Mending takes them away.',
    limits: { good: 0, bad: 1 },
  },
} as const satisfies FigureFields;
