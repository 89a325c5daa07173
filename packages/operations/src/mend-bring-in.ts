import { boundsOf, triangleCount } from '@amber-knit/core/geometry';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { ChoiceParam, PlannedSizeParam } from './params.js';
import { countText, shortCountText } from './quantity-text.js';
import { surfaceFromFile } from './read-surface.js';
import { SURFACE_FIGURES } from './surface-figures.js';
import type { Unit } from './units.js';

export class MendBringInParams {
  @ChoiceParam({
    title: 'Unit',
    help: 'Unit of the coordinates in the file. “Millimetres, checked” asks back where that can hardly be. glTF and 3MF say theirs themselves.',
    choices: { auto: 'Millimetres, checked', mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit | 'auto' = 'auto';

  @PlannedSizeParam()
  expected = 0;
}

/** A surface that was made elsewhere becomes the piece's own. */
export const mendBringIn = defineOperation({
  id: OPERATION_IDS.mendBringIn,
  version: 1,
  stage: 'mend',
  title: 'Bring in a surface',
  help: 'Takes the surface of a file (PLY, OBJ, STL, OFF, GLB, 3MF) in place of a fused one: joins its corners, turns its triangles alike, and says what was wrong with it. What it knows of its measuring comes along.',
  needs: ['file'],
  gives: ['mesh'],
  params: MendBringInParams,
  suggest: (stats) => (stats.plan ? { expected: stats.plan.size } : {}),
  async run({ file }, { unit, expected }, ctx) {
    ctx.checkpoint(0.02, 'Reading');
    const { mesh, notes } = await surfaceFromFile(file.source ?? file.bytes, file.name, unit, expected);
    notes.forEach((n) => ctx.note(n));
    ctx.checkpoint(0.5, 'Looking it through');
    const { findCrossings, inspectTopology } = await import('@amber-knit/core/mesh');
    const crossings = findCrossings(mesh).length / 2;
    const report = inspectTopology(mesh);
    const { min, max } = boundsOf(mesh.positions);
    return {
      outputs: { mesh },
      figures: {
        triangles: triangleCount(mesh),
        size: [0, 1, 2].map((k) => (max[k] - min[k]).toFixed(1)).join(' × '),
        watertight: report.watertight && crossings === 0,
        holes: Number.isFinite(report.holes) ? report.holes : -1,
        crossings,
        pieces: report.pieces,
        nonManifoldEdges: report.nonManifoldEdges,
        knows: mesh.scanCount !== undefined || mesh.expectedError !== undefined,
      },
    };
  },
  figures: {
    triangles: { kind: 'count', rank: 'headline', label: 'Triangles', help: 'Triangles of the surface.' },
    size: {
      kind: 'text',
      rank: 'headline',
      label: 'Size',
      help: 'Length, width and height of the box around it. If this cannot be, the unit was wrong.',
      unit: 'mm',
    },
    watertight: SURFACE_FIGURES.watertight,
    holes: {
      kind: 'count',
      rank: 'detail',
      label: 'Holes',
      help: 'Rims of the surface. Told once more than two triangles meet nowhere.',
    },
    crossings: SURFACE_FIGURES.crossings,
    pieces: SURFACE_FIGURES.pieces,
    nonManifoldEdges: SURFACE_FIGURES.nonManifoldEdges,
    knows: {
      kind: 'flag',
      rank: 'diagnostic',
      label: 'Knows its measuring',
      help: 'The file says how the surface was measured, as files of this program do.',
      good: true,
    },
  },
  summarize: (f) => `${countText(f.triangles)} triangles brought in, ${f.size} mm`,
  cell: (f) => ({
    figure: `${shortCountText(f.triangles)} tri`,
    detail: f.watertight ? 'watertight' : 'not watertight',
  }),
});
