import type { TexturedMesh, TriangleMesh } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { defineOperation, type OutputFile } from './operation.js';
import { bytesText } from './quantity-text.js';
import { ChoiceParam, TextParam } from './params.js';
import { UNITS, type Unit } from './units.js';

export class DeliverExportParams {
  @TextParam({ title: 'Name', help: 'Name of the file, without ending.' })
  name = 'mesh';

  @ChoiceParam({
    title: 'Format',
    help: 'GLB (glTF binary) carries the map and is always in metres, as its standard asks. OBJ with a map is a zip of OBJ, MTL and PNG. PLY carries point colours and what is invented. STL carries the shape alone.',
    choices: { glb: 'GLB', ply: 'PLY', stl: 'STL', obj: 'OBJ' },
  })
  format: 'glb' | 'ply' | 'stl' | 'obj' = 'glb';

  @ChoiceParam({
    title: 'Unit',
    help: 'Unit of the coordinates in PLY, STL and OBJ.',
    choices: { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit = 'mm';
}

export const deliverExport = defineOperation({
  id: 'deliver.export',
  version: 2,
  stage: 'deliver',
  title: 'Export',
  help: 'Writes the surface to a file: with its map if it has one.',
  needs: ['mesh'],
  uses: ['model'],
  gives: ['file'],
  params: DeliverExportParams,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  async run({ mesh, model }, params, ctx) {
    ctx.checkpoint(0.1);
    const file = await writeMeshFile(model ?? mesh, params);
    ctx.checkpoint(1);
    return {
      outputs: { file },
      figures: {
        file: file.name,
        bytes: file.bytes.length,
        unit: params.format === 'glb' ? 'm' : params.unit,
        textured: (params.format === 'glb' || params.format === 'obj') && model !== undefined,
      },
    };
  },
  figures: {
    file: { kind: 'text', rank: 'headline', label: 'File', help: 'Name of the file.' },
    bytes: { kind: 'bytes', rank: 'headline', label: 'Size', help: 'Size of the file.' },
    unit: {
      kind: 'text',
      rank: 'detail',
      label: 'Unit',
      help: 'Unit of lengths in the file. glTF is always in metres, by its standard.',
    },
    textured: { kind: 'flag', rank: 'detail', label: 'With colours', help: 'The file brings its picture along.' },
  },
  summarize: (f) => `${f.file}, ${bytesText(f.bytes)}, in ${f.unit}`,
  cell: (f) => ({ figure: endingOf(f.file ?? ''), detail: bytesText(f.bytes) }),
});

/** The ending of a file's name in capitals: what kind of file it is. */
export const endingOf = (file: string): string => file.replace(/^.*\./, '').toUpperCase();

/** A name that any file system takes, without ending. */
export function fileBase(name: string): string {
  const plain = name.replace(/[^\p{L}\p{N} ._-]/gu, '').trim();
  return plain.slice(0, 80) || 'mesh';
}

/** Writes a mesh in one of the export formats. */
export async function writeMeshFile(mesh: TriangleMesh | TexturedMesh, p: DeliverExportParams): Promise<OutputFile> {
  const { writeGlb, writePly, writeStl, writeObj, writeObjZip } = await import('@amber-knit/core/io');
  const base = fileBase(p.name);
  if (p.format === 'glb')
    return { name: `${base}.glb`, mediaType: 'model/gltf-binary', bytes: await writeGlb(mesh, base) };
  const factor = 1 / UNITS[p.unit];
  const positions = factor === 1 ? mesh.positions : mesh.positions.map((v) => v * factor);
  if (p.format === 'ply') {
    const bytes = writePly({
      positions,
      normals: mesh.normals,
      colors: mesh.colors,
      indices: mesh.indices,
      extra: {
        ...(mesh.invented ? { invented: mesh.invented } : {}),
        ...(mesh.scanCount ? { scan_count: mesh.scanCount } : {}),
        ...(mesh.expectedError ? { expected_error: mesh.expectedError.map((v) => v * factor) } : {}),
      },
      comments: [
        `unit ${p.unit}`,
        'Z up',
        'invented: 1 where no scan measured the surface',
        ...(mesh.expectedError
          ? [`expected_error: one standard deviation, ${p.unit}; nan where nothing was measured`]
          : []),
      ],
    });
    return { name: `${base}.ply`, mediaType: 'application/octet-stream', bytes };
  }
  if (p.format === 'stl')
    return { name: `${base}.stl`, mediaType: 'model/stl', bytes: writeStl({ positions, indices: mesh.indices }, base) };
  if (p.format === 'obj' && 'cornerUvs' in mesh)
    return {
      name: `${base}.zip`,
      mediaType: 'application/zip',
      bytes: writeObjZip({ ...mesh, positions }, base, p.unit),
    };
  if (p.format === 'obj') {
    const { obj } = writeObj(
      { positions, indices: mesh.indices, normals: mesh.normals, colors: mesh.colors },
      base,
      undefined,
      p.unit,
    );
    return { name: `${base}.obj`, mediaType: 'model/obj', bytes: obj };
  }
  throw new GeometryError('unsupported-format', `Format "${String(p.format)}" can't be written.`);
}
