import { triangleCount, vertexCount } from '@amber-knit/core/geometry';
import type { HandEdit } from '@amber-knit/core/handwork';
import { GeometryError } from '@amber-knit/core/runtime';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { EditsParam } from './params.js';
import { countText, lengthText, shortCountText } from './quantity-text.js';
import { SURFACE_FIGURES } from './surface-figures.js';

export class MendByHandParams {
  @EditsParam({
    title: 'Edits',
    help: 'What is done, one after the other: strokes of a brush, places taken out, bridges, cuts. In the bench they are drawn in the view.',
  })
  edits: HandEdit[] = [];
}

const KIND_WORDS: Record<HandEdit['kind'], string> = {
  smooth: 'smoothed',
  push: 'pushed',
  flatten: 'flattened',
  erase: 'erased',
  refill: 'erased and refilled',
  lasso: 'cut out',
  fill: 'filled',
  bridge: 'bridged',
  cut: 'cut',
};

/** Work by hand on the surface: a session of strokes is one step, which can be run again on a surface fused anew. */
export const mendByHand = defineOperation({
  id: OPERATION_IDS.mendByHand,
  version: 1,
  stage: 'mend',
  title: 'Work by hand',
  help: 'Does to the surface what was drawn in the view. What is filled, and what goes far from where it was measured, is marked as invented.',
  byHand: true,
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendByHandParams,
  suggest: () => ({}),
  async run({ mesh }, { edits }, ctx) {
    if (edits.length === 0)
      throw new GeometryError('invalid-parameter', 'Nothing was drawn. Choose a tool and work on the surface first.');
    const { HandSession } = await import('@amber-knit/core/handwork');
    const { findCrossings, inspectTopology } = await import('@amber-knit/core/mesh');
    const session = new HandSession(mesh);
    edits.forEach((edit, i) => {
      ctx.checkpoint((0.9 * i) / edits.length);
      try {
        session.do(edit, ctx.part((0.9 * i) / edits.length, (0.9 * (i + 1)) / edits.length));
      } catch (e) {
        if (!(e instanceof GeometryError) || e.code !== 'invalid-parameter') throw e;
        // On a surface fused anew a place may be gone; the others still hold.
        ctx.note(`Edit ${i + 1} (${KIND_WORDS[edit.kind]}) was left out. ${e.message}`);
      }
    });
    const { mesh: worked, totals } = session.finish();
    const done = session.edits.length;
    if (done === 0)
      throw new GeometryError(
        'invalid-parameter',
        'None of these edits finds its place on this surface. Draw them anew.',
      );
    ctx.checkpoint(0.92);
    const crossings = findCrossings(worked).length / 2;
    const report = inspectTopology(worked);
    return {
      outputs: { mesh: worked },
      figures: {
        edits: done,
        leftOut: edits.length - done,
        moved: totals.moved,
        farthest: totals.farthest,
        filled: totals.filled,
        leftOpen: totals.leftOpen,
        holes: Number.isFinite(report.holes) ? report.holes : -1,
        crossings,
        watertight: report.watertight && crossings === 0,
        triangles: triangleCount(worked),
        vertices: vertexCount(worked),
        list: session.edits.map((e) => KIND_WORDS[e.kind]).join(', '),
      },
    };
  },
  figures: {
    edits: {
      kind: 'count',
      rank: 'headline',
      label: 'Edits',
      help: 'Strokes, fillings, bridges and cuts that were done.',
    },
    watertight: SURFACE_FIGURES.watertight,
    leftOut: {
      kind: 'count',
      rank: 'detail',
      label: 'Left out',
      help: 'Edits that found no surface where they were drawn.',
      limits: { good: 0, bad: 1 },
    },
    farthest: {
      kind: 'length',
      rank: 'detail',
      label: 'Farthest move',
      help: 'How far the vertex was moved that was moved furthest.',
    },
    moved: { kind: 'count', rank: 'detail', label: 'Vertices moved', help: 'Vertices that lie elsewhere than before.' },
    filled: { kind: 'count', rank: 'detail', label: 'Places filled', help: 'What fills them is marked as invented.' },
    leftOpen: {
      kind: 'count',
      rank: 'detail',
      label: 'Stayed open',
      help: 'Places that were to be closed: they ran into a rim, or every filling would have crossed the surface.',
    },
    holes: { kind: 'count', rank: 'detail', label: 'Holes', help: 'Rims that the surface has now.' },
    crossings: SURFACE_FIGURES.crossings,
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the surface.' },
    vertices: { kind: 'count', rank: 'diagnostic', label: 'Vertices', help: 'Vertices of the surface.' },
    list: { kind: 'text', rank: 'diagnostic', label: 'List', help: 'What was done, one after the other.' },
  },
  summarize: (f) =>
    `${countText(f.edits)} ${f.edits === 1 ? 'edit' : 'edits'} by hand${Number(f.farthest) > 0 ? `, moved up to ${lengthText(f.farthest)}` : ''}${Number(f.filled) > 0 ? `, ${countText(f.filled)} ${f.filled === 1 ? 'place' : 'places'} filled` : ''}`,
  cell: (f) => ({
    figure: `${shortCountText(f.triangles)} tri`,
    detail: f.watertight ? 'watertight' : 'not watertight',
  }),
});
