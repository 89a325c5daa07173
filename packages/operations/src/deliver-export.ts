import { deliveredSurface, DeliveredParam, type DeliveredChoice } from './delivered-surface.js';
import { OPERATION_IDS } from './operation-ids.js';
import { FILE_FIGURES } from './file-figures.js';
import { defineOperation } from './operation.js';
import { bytesText } from './quantity-text.js';
import { ChoiceParam, TextParam } from './params.js';
import { assertReadsBack } from './read-back.js';
import type { Unit } from './units.js';
import { CARRIES_MAP, writeMeshFile, type MeshFormat } from './write-mesh-file.js';

export class DeliverExportParams {
  @TextParam({ title: 'Name', help: 'Name of the file, without ending.' })
  name = 'mesh';

  @DeliveredParam()
  surface: DeliveredChoice = 'whole';

  @ChoiceParam({
    title: 'Format',
    help: 'GLB (glTF binary) carries the map and is always in metres, as its standard asks. 3MF is for printing: it carries unit and colours or map. OBJ with a map is a zip of OBJ, MTL and PNG; of a light model it holds all maps, also heights in 16 bits. GLB brings its normals and openness to light. PLY carries point colours and what is invented, OFF point colours, STL the shape alone.',
    choices: { glb: 'GLB', '3mf': '3MF', ply: 'PLY', stl: 'STL', obj: 'OBJ', off: 'OFF' },
  })
  format: MeshFormat = 'glb';

  @ChoiceParam({
    title: 'Unit',
    help: 'Unit of the coordinates; GLB is always in metres. 3MF says its unit, the others do not.',
    choices: { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit = 'mm';
}

export const deliverExport = defineOperation({
  id: OPERATION_IDS.deliverExport,
  version: 4,
  stage: 'deliver',
  title: 'Export',
  help: 'Writes the surface to a file, with its map if it has one, and reads the file back to see that it holds what it should.',
  words: 'save as write file format obj ply stl glb gltf off 3mf',
  needs: ['mesh'],
  uses: ['model', 'light'],
  gives: ['file'],
  params: DeliverExportParams,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  async run(piece, params, ctx) {
    ctx.checkpoint(0.1, 'Writing');
    const written = deliveredSurface(piece, params.surface);
    const file = await writeMeshFile(written, params);
    ctx.checkpoint(0.6, 'Reading it back');
    const readBack = await assertReadsBack(file, written, params.unit);
    ctx.checkpoint(1);
    return {
      outputs: { file },
      figures: {
        file: file.name,
        bytes: file.bytes.length,
        unit: params.format === 'glb' ? 'm' : params.unit,
        textured: CARRIES_MAP.includes(params.format) && 'cornerUvs' in written,
        ...readBack,
      },
    };
  },
  figures: {
    file: FILE_FIGURES.file,
    bytes: FILE_FIGURES.bytes,
    unit: {
      kind: 'text',
      rank: 'detail',
      label: 'Unit',
      help: 'Unit of lengths in the file. glTF is always in metres, by its standard.',
    },
    triangles: {
      kind: 'count',
      rank: 'detail',
      label: 'Triangles',
      help: 'Triangles that were read back from the file.',
    },
    size: {
      kind: 'length',
      rank: 'detail',
      label: 'Longest side',
      help: 'As read back from the file, in millimetres: the true size.',
    },
    closed: {
      kind: 'flag',
      rank: 'detail',
      label: 'Closed',
      help: 'Whether the surface is closed as it stands in the file.',
    },
    textured: { kind: 'flag', rank: 'detail', label: 'With colours', help: 'The file brings its picture along.' },
  },
  summarize: (f) => `${f.file}, ${bytesText(f.bytes)}, in ${f.unit}`,
  cell: (f) => ({ figure: endingOf(f.file ?? ''), detail: bytesText(f.bytes) }),
});

/** The ending of a file's name in capitals: what kind of file it is. */
export const endingOf = (file: string): string => file.replace(/^.*\./, '').toUpperCase();
