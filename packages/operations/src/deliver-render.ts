import { MAP_MEANINGS, triangleCount } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { demandLight } from './demand.js';
import { FILE_FIGURES } from './file-figures.js';
import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { ChoiceParam, CountParam, TextParam } from './params.js';
import { bytesText, countText } from './quantity-text.js';
import { assertReadsBack } from './read-back.js';
import type { Unit } from './units.js';
import { writeMeshFile } from './write-mesh-file.js';

export class DeliverRenderParams {
  @TextParam({ title: 'Name', help: 'Name of the file, without ending.' })
  name = 'mesh';

  @ChoiceParam({
    title: 'Format',
    help: 'GLB is one file with colours, normals and openness to light, in metres. OBJ comes as a zip with every map, heights in 16 bits among them, and says what each holds.',
    choices: { obj: 'OBJ with all maps', glb: 'GLB' },
  })
  format: 'obj' | 'glb' = 'obj';

  @ChoiceParam({
    title: 'Unit',
    help: 'Unit of the OBJ; GLB is always in metres.',
    choices: { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit = 'cm';

  @CountParam({
    title: 'Triangles at most',
    help: 'A light model with more is refused: make a lighter one at Texture.',
    unit: '',
    min: 100,
    max: 2_000_000,
  })
  triangles = 100_000;
}

/** A light model with its maps, for pictures and films. */
export const deliverRender = defineOperation({
  id: OPERATION_IDS.deliverRender,
  version: 1,
  stage: 'deliver',
  title: 'For rendering',
  help: 'The light model with its maps of colour, normals, heights and openness to light, checked for what it must have.',
  words: 'render rendering film still maps artist',
  needs: ['mesh'],
  uses: ['light'],
  gives: ['file'],
  params: DeliverRenderParams,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  demands: (surface) => [demandLight(surface)],
  async run({ light }, params, ctx) {
    if (!light)
      throw new GeometryError(
        'empty-input',
        'There is no light model yet. Make one at Texture (Light model), then come back. Nothing was written.',
      );
    const triangles = triangleCount(light);
    if (triangles > params.triangles)
      throw new GeometryError(
        'too-large',
        `The light model has ${countText(triangles)} triangles, more than ${countText(params.triangles)}. Make a lighter one at Texture, or allow more. Nothing was written.`,
      );
    if (!light.maps.some((m) => m.kind === 'normal'))
      ctx.note(
        'The light model has no map of normals: detail of the whole surface will not be seen. Make it anew with one.',
      );
    if (light.failed.length > 0)
      ctx.note(
        `${countText(light.failed.length)} ${light.failed.length === 1 ? 'place' : 'places'} of the maps found nothing on the whole surface; Texture lists them.`,
      );
    ctx.checkpoint(0.1, 'Writing');
    const file = await writeMeshFile(light, params);
    ctx.checkpoint(0.6, 'Reading it back');
    const read = await assertReadsBack(file, light, params.format === 'glb' ? 'm' : params.unit);
    return {
      outputs: { file },
      figures: {
        file: file.name,
        bytes: file.bytes.length,
        triangles: read.triangles,
        mapSize: light.texture.width,
        maps: ['colour', ...light.maps.map((m) => MAP_MEANINGS[m.kind])].join('; '),
        failed: light.failed.length,
        size: read.size,
      },
    };
  },
  figures: {
    file: FILE_FIGURES.file,
    bytes: FILE_FIGURES.bytes,
    triangles: FILE_FIGURES.triangles,
    mapSize: { kind: 'count', rank: 'detail', label: 'Maps', unit: 'pixels', help: 'Edge of the maps.' },
    failed: {
      kind: 'count',
      rank: 'detail',
      label: 'Places that failed',
      help: 'Places where the maps found nothing on the whole surface.',
      limits: { good: 0, bad: 20 },
    },
    maps: { kind: 'text', rank: 'diagnostic', label: 'What the maps hold', help: 'Each map that the model has.' },
    size: FILE_FIGURES.size,
  },
  summarize: (f) => `${f.file}, ${bytesText(f.bytes)}, ${countText(f.triangles)} triangles with maps`,
  cell: (f) => ({ figure: 'Light', detail: bytesText(f.bytes) }),
});
