import type { FigureFields } from './figures.js';

/** What several operations tell of a surface, in the same words. */
export const SURFACE_FIGURES = {
  watertight: {
    kind: 'flag',
    rank: 'headline',
    label: 'Watertight',
    help: 'The surface has no rim, every edge joins two triangles, and no two triangles cross.',
    good: true,
  },
  crossings: {
    kind: 'count',
    rank: 'detail',
    label: 'Crossing pairs',
    help: 'Pairs of triangles that touch or cut each other where they should not, told exactly. Mending takes them away.',
    limits: { good: 0, bad: 1 },
  },
  deviationRms: {
    kind: 'length',
    rank: 'headline',
    label: 'Deviation',
    help: 'Distance between the surface before and now, from the vertices of both, root mean square.',
  },
  deviationMax: {
    kind: 'length',
    rank: 'detail',
    label: 'Largest deviation',
    help: 'The largest distance between the surface before and now.',
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
