import { boundsOf, triangleCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { ChoiceParam } from './params.js';
import { countText } from './quantity-text.js';
import { surfaceFromFile } from './read-surface.js';
import type { Unit } from './units.js';

export class CheckSurroundingsParams {
  @ChoiceParam({
    title: 'Unit of the file',
    help: 'Unit of the coordinates in its file. glTF, 3MF and other pieces say theirs themselves.',
    choices: { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit = 'mm';
}

/** Brings in the place that the piece is to be put in. */
export const checkSurroundings = defineOperation({
  id: OPERATION_IDS.checkSurroundings,
  version: 1,
  stage: 'check',
  title: 'Bring in surroundings',
  help: 'Takes another scanned place, the surface of another piece or of a file, to put this piece in.',
  byHand: true,
  needs: ['file'],
  gives: ['surroundings'],
  params: CheckSurroundingsParams,
  suggest: () => ({}),
  async run({ file }, { unit }, ctx) {
    ctx.checkpoint(0.02, 'Reading');
    const { mesh, notes } = await surfaceFromFile(file.source ?? file.bytes, file.name, unit);
    notes.forEach((n) => ctx.note(n));
    const { min, max } = boundsOf(mesh.positions);
    return {
      outputs: { surroundings: { name: file.name, mesh } },
      figures: {
        name: file.name,
        triangles: triangleCount(mesh),
        size: [0, 1, 2].map((k) => (max[k] - min[k]).toFixed(0)).join(' × '),
      },
    };
  },
  figures: {
    name: { kind: 'text', rank: 'headline', label: 'Surroundings', help: 'What the place is called.' },
    size: {
      kind: 'text',
      rank: 'headline',
      label: 'Size',
      help: 'Length, width and height of the box around it. If this cannot be, the unit was wrong.',
      unit: 'mm',
    },
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of its surface.' },
  },
  summarize: (f) => `${f.name}: ${f.size} mm, ${countText(f.triangles)} triangles`,
});
