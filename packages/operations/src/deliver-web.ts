import {
  boundsOf,
  diagonalOf,
  halvedMap,
  halvedPicture,
  triangleCount,
  type LightModel,
  type TexturedMesh,
  type TriangleMesh,
  withoutKnowledge,
} from '@amber-knit/core/geometry';
import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import { deliveredSurface, DeliveredParam, type DeliveredChoice } from './delivered-surface.js';
import { FILE_FIGURES } from './file-figures.js';
import { defineOperation } from './operation.js';
import { RatioParam, TextParam } from './params.js';
import { bytesText, countText } from './quantity-text.js';
import { assertReadsBack } from './read-back.js';
import { remade } from './surface-remade.js';
import { fileBase } from './write-mesh-file.js';

export class DeliverWebParams {
  @TextParam({ title: 'Name', help: 'Name of the file, without ending.' })
  name = 'mesh';

  @DeliveredParam()
  surface: DeliveredChoice = 'whole';

  @RatioParam({
    title: 'At most',
    help: 'The file stays below this: the map is made smaller, then packed more closely; a surface without a map gets fewer triangles.',
    unit: 'MB',
    min: 0.1,
    max: 200,
  })
  megabytes = 2;
}

/** Qualities of the map that are tried, the best first; below the last, smaller maps look better. */
const QUALITIES = [90, 80];
/** Maps are not made smaller than this. */
const SMALLEST_MAP = 256;
/** Of its triangles a surface keeps so many at a time. */
const FEWER = 0.7;
const FEWEST = 500;
/** Steps of a packed position across the object: 16 bits. */
const PACKED_STEPS = 65_535;

/** A small GLB for pages and phones. */
export const deliverWeb = defineOperation({
  id: 'deliver.web',
  version: 2,
  stage: 'deliver',
  title: 'For web and phone',
  help: 'Writes a GLB below a size: triangles packed with Draco, the map as JPEG. In metres with Y up, as glTF asks.',
  words: 'website web page online phone ar augmented reality glb small mb compress',
  needs: ['mesh'],
  uses: ['model', 'light'],
  gives: ['file'],
  params: DeliverWebParams,
  suggest: (stats) => ({
    ...(stats.name ? { name: stats.name } : {}),
    ...(stats.hasLight ? { surface: 'light' as const } : {}),
  }),
  because: (stats) => (stats.hasLight ? { surface: 'It was made for this.' } : {}),
  async run(piece, { name, surface, megabytes }, ctx) {
    const base = fileBase(name);
    const most = Math.round(megabytes * 1e6);
    const whole = plain(deliveredSurface(piece, surface));
    const made =
      'cornerUvs' in whole ? await withMap(whole, base, most, ctx) : await withoutMap(whole, base, most, ctx);
    const file = { name: `${base}.glb`, mediaType: 'model/gltf-binary', bytes: made.bytes };
    ctx.checkpoint(0.9, 'Reading it back');
    const rounding = diagonalOf(boundsOf(made.mesh.positions)) / PACKED_STEPS;
    const read = await assertReadsBack(file, made.mesh, 'm', rounding);
    return {
      outputs: { file },
      figures: {
        file: file.name,
        bytes: file.bytes.length,
        triangles: read.triangles,
        mapSize: made.mapSize,
        quality: made.quality,
        rounding,
        size: read.size,
      },
    };
  },
  figures: {
    file: FILE_FIGURES.file,
    bytes: FILE_FIGURES.bytes,
    triangles: FILE_FIGURES.triangles,
    mapSize: { kind: 'count', rank: 'detail', label: 'Map', unit: 'pixels', help: 'Edge of the map; 0 without one.' },
    quality: {
      kind: 'count',
      rank: 'detail',
      label: 'Quality of the map',
      help: 'Of the JPEG, out of 100; 0 without a map.',
    },
    rounding: {
      kind: 'length',
      rank: 'detail',
      label: 'Rounded to',
      help: 'Places are rounded to steps of this when they are packed.',
    },
    size: FILE_FIGURES.size,
  },
  summarize: (f) =>
    `${f.file}, ${bytesText(f.bytes)}, ${countText(f.triangles)} triangles${f.mapSize ? `, map of ${f.mapSize} pixels` : ''}`,
  cell: (f) => ({ figure: 'GLB', detail: bytesText(f.bytes) }),
});

interface Made<M extends TriangleMesh = TriangleMesh> {
  bytes: Uint8Array;
  mesh: M;
  mapSize: number;
  quality: number;
}

/** What a page has no use for is left behind. */
const plain = <M extends TriangleMesh>(mesh: M): M => withoutKnowledge(mesh) as M;

/** With all its maps half as large. */
function halvedMaps<M extends TexturedMesh | LightModel>(model: M): M {
  const texture = halvedPicture(model.texture);
  if (!('maps' in model)) return { ...model, texture };
  return { ...model, texture, maps: model.maps.map((m) => ({ ...m, ...halvedMap(m) })) };
}

async function withMap(model: TexturedMesh | LightModel, name: string, most: number, ctx: RunContext): Promise<Made> {
  const { writeGlb } = await import('@amber-knit/core/io');
  let smaller = model;
  let smallest = Infinity;
  for (let k = 0; ; k++) {
    for (const quality of QUALITIES) {
      ctx.checkpoint(Math.min(0.85, 0.1 + 0.15 * k), `Map of ${smaller.texture.width} pixels`);
      const bytes = await writeGlb(smaller, name, { draco: true, jpegQuality: quality });
      if (bytes.length <= most) return { bytes, mesh: model, mapSize: smaller.texture.width, quality };
      smallest = Math.min(smallest, bytes.length);
    }
    if (smaller.texture.width / 2 < SMALLEST_MAP) break;
    smaller = halvedMaps(smaller);
  }
  throw new GeometryError(
    'too-large',
    `Even with the smallest map the file has ${bytesText(smallest)}: the ${countText(triangleCount(model))} triangles take the room. Reduce them in Mend, texture anew, and come back; or allow more.`,
  );
}

async function withoutMap(mesh: TriangleMesh, name: string, most: number, ctx: RunContext): Promise<Made> {
  const { writeGlb } = await import('@amber-knit/core/io');
  const { reduceMesh } = await import('@amber-knit/core/remeshing');
  let light = mesh;
  for (let k = 0; ; k++) {
    ctx.checkpoint(Math.min(0.85, 0.1 + 0.1 * k), `${countText(triangleCount(light))} triangles`);
    const bytes = await writeGlb(light, name, { draco: true });
    if (bytes.length <= most) return { bytes, mesh: light, mapSize: 0, quality: 0 };
    const fewer = Math.floor(Math.min(FEWER, (0.95 * most) / bytes.length) * triangleCount(light));
    if (fewer < FEWEST)
      throw new GeometryError(
        'too-large',
        `The surface can't be made smaller than ${bytesText(bytes.length)}. Allow more.`,
      );
    const fewerTriangles = reduceMesh(light, { triangles: fewer }, ctx.part(0, 0.05));
    ({ light } = await remade(light, fewerTriangles, ctx.part(0.05, 0.1)));
  }
}
