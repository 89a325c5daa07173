import type { Touch, TouchKind } from '@amber-knit/core/retouching';
import { GeometryError } from '@amber-knit/core/runtime';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { TouchesParam } from './params.js';
import { countText, shareText } from './quantity-text.js';

export class TextureByHandParams {
  @TouchesParam({
    title: 'Strokes',
    help: 'What is done to the map, one stroke after the other. In the bench they are drawn in the view.',
  })
  touches: Touch[] = [];
}

const KIND_WORDS: Record<TouchKind, string> = {
  paint: 'painted',
  tint: 'tinted',
  copy: 'copied',
  picture: 'taken from a picture',
  heal: 'healed',
  soften: 'softened',
  sharpen: 'sharpened',
  tone: 'toned',
};

/** Work by hand on the colours: a session of strokes is one step, which can be run again on a map made anew. */
export const textureByHand = defineOperation({
  id: OPERATION_IDS.textureByHand,
  version: 1,
  stage: 'texture',
  title: 'Work on the colours',
  help: 'Does to the map what was drawn in the view: copies, colours of one picture, paint, healing. Strokes belong to places of the surface, so they hold on a map made anew.',
  byHand: true,
  needs: ['model'],
  uses: ['scans', 'placements'],
  gives: ['model'],
  params: TextureByHandParams,
  reads: ({ touches }) => {
    const scans = touches.flatMap((t) => (t.kind === 'picture' ? [t.scan] : []));
    return scans.length > 0 ? [...new Set(scans)] : 'none';
  },
  suggest: () => ({}),
  async run({ model, scans, placements }, { touches }, ctx) {
    if (touches.length === 0)
      throw new GeometryError('invalid-parameter', 'Nothing was drawn. Choose a tool and work on the colours first.');
    const { pictureFinder, RetouchSession } = await import('@amber-knit/core/retouching');
    const session = new RetouchSession(model, pictureFinder(scans ?? [], placements ?? []));
    touches.forEach((touch, i) => {
      ctx.checkpoint((0.9 * i) / touches.length);
      try {
        session.do(touch);
      } catch (e) {
        if (!(e instanceof GeometryError) || e.code !== 'invalid-parameter') throw e;
        // On a surface fused anew a place may be gone; the others still hold.
        ctx.note(`Stroke ${i + 1} (${KIND_WORDS[touch.kind]}) was left out. ${e.message}`);
      }
    });
    const done = session.touches;
    if (done.length === 0)
      throw new GeometryError(
        'invalid-parameter',
        'None of these strokes finds its place on this surface. Draw them anew.',
      );
    const { model: worked, texels, ofAll } = session.finish();
    return {
      outputs: { model: worked },
      figures: {
        strokes: done.length,
        leftOut: touches.length - done.length,
        texels,
        ofMap: ofAll,
        mapSize: worked.texture.width,
        list: done.map((t) => KIND_WORDS[t.kind]).join(', '),
      },
    };
  },
  figures: {
    strokes: { kind: 'count', rank: 'headline', label: 'Strokes', help: 'Strokes that were done.' },
    ofMap: {
      kind: 'ratio',
      rank: 'headline',
      label: 'Of the colours',
      help: 'Share of the coloured map that is other than before.',
    },
    leftOut: {
      kind: 'count',
      rank: 'detail',
      label: 'Left out',
      help: 'Strokes that found no surface, or no picture, where they were drawn.',
      limits: { good: 0, bad: 1 },
    },
    texels: {
      kind: 'count',
      rank: 'detail',
      label: 'Pixels changed',
      help: 'Pixels of the map that a stroke reached.',
    },
    mapSize: { kind: 'count', rank: 'detail', label: 'Map', help: 'Width and height of the map.', unit: 'px' },
    list: { kind: 'text', rank: 'diagnostic', label: 'List', help: 'What was done, one after the other.' },
  },
  summarize: (f) =>
    `${countText(f.strokes)} ${f.strokes === 1 ? 'stroke' : 'strokes'} by hand, ${shareText(f.ofMap)} of the colours`,
  cell: (f) => ({ figure: `${f.mapSize}²`, detail: 'worked on' }),
});
