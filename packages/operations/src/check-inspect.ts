import { boundsOf } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { countText, lengthText } from './quantity-text.js';
import { SURFACE_FIGURES } from './surface-figures.js';

export class CheckInspectParams {}

export const checkInspect = defineOperation({
  id: 'check.inspect',
  version: 3,
  stage: 'check',
  title: 'Inspect',
  help: 'Measures size, area and volume of the surface and tells whether it is watertight.',
  words: 'volume area size bounding box weight watertight',
  needs: ['mesh'],
  gives: [],
  params: CheckInspectParams,
  suggest: () => ({}),
  async run({ mesh }, _params, ctx) {
    const { findCrossings, findSurfaceFaults, inspectTopology, makeManifold } = await import('@amber-knit/core/mesh');
    const { surfaceArea, enclosedVolume } = await import('@amber-knit/core/measure');
    const report = inspectTopology(mesh);
    ctx.checkpoint(0.2);
    const crossings = findCrossings(mesh).length / 2;
    ctx.checkpoint(0.7);
    const manifold = report.nonManifoldEdges === 0 && report.nonManifoldVertices === 0;
    const faults = findSurfaceFaults(manifold ? mesh : makeManifold(mesh).mesh);
    ctx.checkpoint(0.95);
    const b = boundsOf(mesh.positions);
    return {
      outputs: {},
      figures: {
        width: b.max[0] - b.min[0],
        depth: b.max[1] - b.min[1],
        height: b.max[2] - b.min[2],
        area: surfaceArea(mesh),
        ...(report.watertight ? { volume: enclosedVolume(mesh) } : {}),
        triangles: report.triangles,
        pieces: report.pieces,
        ...(Number.isFinite(report.holes) ? { holes: report.holes } : {}),
        nonManifoldEdges: report.nonManifoldEdges,
        crossings,
        tunnels: faults.pieces.reduce((sum, p) => sum + p.tunnels, 0),
        innerPieces: faults.pieces.filter((p) => p.inner).length,
        insideOut: faults.pieces.filter((p) => p.volume < 0 && !p.inner).length,
        spikes: faults.spikes.length,
        slivers: faults.slivers.length,
        watertight: report.watertight && crossings === 0,
      },
    };
  },
  figures: {
    width: { kind: 'length', rank: 'headline', label: 'Width', help: 'Along x.' },
    depth: { kind: 'length', rank: 'headline', label: 'Depth', help: 'Along y.' },
    height: { kind: 'length', rank: 'headline', label: 'Height', help: 'Along z.' },
    watertight: SURFACE_FIGURES.watertight,
    area: { kind: 'area', rank: 'detail', label: 'Area', help: 'Area of the surface.' },
    volume: {
      kind: 'volume',
      rank: 'detail',
      label: 'Volume',
      help: 'What the surface encloses; only a closed one encloses anything.',
    },
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the surface.' },
    pieces: SURFACE_FIGURES.pieces,
    holes: {
      kind: 'count',
      rank: 'detail',
      label: 'Holes',
      help: 'Rims that are closed curves. Missing where too many triangles meet at an edge to tell.',
      limits: { good: 0, bad: 1 },
    },
    crossings: SURFACE_FIGURES.crossings,
    tunnels: {
      kind: 'count',
      rank: 'detail',
      label: 'Tunnels',
      help: 'Ways through the object: the handle of a jug makes one. More than it has are small bridges between sheets.',
    },
    innerPieces: {
      kind: 'count',
      rank: 'detail',
      label: 'Inner pieces',
      help: 'Pieces within another, where nobody can see them: hollows, or crumbs of the scan.',
    },
    insideOut: {
      kind: 'count',
      rank: 'diagnostic',
      label: 'Inside out',
      help: 'Closed pieces whose triangles face inwards.',
      limits: { good: 0, bad: 1 },
    },
    spikes: {
      kind: 'count',
      rank: 'detail',
      label: 'Spikes',
      help: 'Vertices that stand out like needles: the angles around them make less than 180°.',
      limits: { good: 0, bad: 1 },
    },
    slivers: {
      kind: 'count',
      rank: 'diagnostic',
      label: 'Slivers',
      help: 'Triangles so narrow that their normals say nothing. Even triangles have none. The limit is common practice, no source.',
    },
    nonManifoldEdges: SURFACE_FIGURES.nonManifoldEdges,
  },
  summarize: (f) =>
    `${sizeText(f)}, ${countText(f.triangles)} triangles, ${f.watertight ? 'watertight' : 'not watertight'}`,
  cell: (f) => ({ figure: `${lengthText(f.height)} high`, detail: f.watertight ? 'watertight' : 'not watertight' }),
});

/** Width, depth and height in one. */
const sizeText = (f: { width?: number; depth?: number; height?: number }): string =>
  `${[f.width, f.depth, f.height].map((v) => v?.toFixed(1) ?? '–').join(' × ')} mm`;
