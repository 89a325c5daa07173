import { halvedPicture, vertexNormals, type ColorImage } from '@amber-knit/core/geometry';
import { FILE_FIGURES } from './file-figures.js';
import { defineOperation } from './operation.js';
import { ChoiceParam, CountParam, TextParam } from './params.js';
import { bytesText } from './quantity-text.js';
import { fileBase } from './write-mesh-file.js';

export class DeliverTurningParams {
  @TextParam({ title: 'Name', help: 'Name of the file, without ending.' })
  name = 'mesh';

  @ChoiceParam({
    title: 'What',
    help: 'An animation that goes round without end, or a single picture.',
    choices: { gif: 'Turning (GIF)', png: 'Picture (PNG)' },
  })
  what: 'gif' | 'png' = 'gif';

  @CountParam({ title: 'Edge', help: 'Width and height of the picture.', unit: 'pixels', min: 64, max: 1080 })
  size = 480;

  @CountParam({
    title: 'Pictures',
    help: 'So many make one turn: more turn more smoothly and take more bytes.',
    unit: '',
    min: 8,
    max: 180,
    more: true,
  })
  pictures = 48;

  @ChoiceParam({
    title: 'Ground',
    help: 'What is behind the piece.',
    choices: { paper: 'Paper', white: 'White', dark: 'Dark' },
    more: true,
  })
  ground: keyof typeof GROUNDS = 'paper';
}

const GROUNDS = { paper: [239, 233, 221], white: [255, 255, 255], dark: [38, 34, 28] } as const;
/** One turn takes so long, ms. */
const TURN = 4800;

/** Pictures to show around: the piece turning, or standing. */
export const deliverTurning = defineOperation({
  id: 'deliver.turning',
  version: 1,
  stage: 'deliver',
  title: 'Turning pictures',
  help: 'The piece going round as an animation, or a single picture of it, with its colours.',
  words: 'video movie animation gif spin turning picture',
  needs: ['mesh'],
  uses: ['model'],
  gives: ['file'],
  params: DeliverTurningParams,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  async run({ mesh, model }, params, ctx) {
    const { writeGif } = await import('@amber-knit/core/io');
    const { encodeColorPng } = await import('@amber-knit/core/stored');
    const { renderFrom } = await import('@amber-knit/core/pictures');
    const piece = model ?? mesh;
    const shown = { ...piece, normals: piece.normals ?? vertexNormals(piece) };
    const ground = [...GROUNDS[params.ground]] as [number, number, number];
    const count = params.what === 'gif' ? params.pictures : 1;
    // Drawn twice as large and halved: edges come out smooth.
    function* pictures(): Iterable<ColorImage> {
      for (let k = 0; k < count; k++) {
        ctx.checkpoint(k / count, `Picture ${k + 1} of ${count}`);
        yield halvedPicture(renderFrom(shown, 2 * params.size, (2 * Math.PI * k) / count, ground));
      }
    }
    const bytes = params.what === 'gif' ? writeGif(pictures(), TURN / count) : encodeColorPng([...pictures()][0]);
    const file = {
      name: `${fileBase(params.name)}.${params.what}`,
      mediaType: params.what === 'gif' ? 'image/gif' : 'image/png',
      bytes,
    };
    return { outputs: { file }, figures: { file: file.name, bytes: bytes.length, pictures: count, size: params.size } };
  },
  figures: {
    file: FILE_FIGURES.file,
    bytes: FILE_FIGURES.bytes,
    pictures: { kind: 'count', rank: 'detail', label: 'Pictures', help: 'Pictures of one turn.' },
    size: { kind: 'count', rank: 'detail', label: 'Edge', unit: 'pixels', help: 'Width and height.' },
  },
  summarize: (f) => `${f.file}, ${bytesText(f.bytes)}`,
  cell: (f) => ({ figure: (f.file ?? '').replace(/^.*\./, '').toUpperCase(), detail: bytesText(f.bytes) }),
});
