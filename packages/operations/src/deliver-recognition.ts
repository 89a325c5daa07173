import {
  boundsOf,
  triangleCount,
  vertexCount,
  withoutKnowledge,
  type TexturedMesh,
  type TriangleMesh,
} from '@amber-knit/core/geometry';
import type { TurningSymmetry } from '@amber-knit/core/comparison';
import type { PackedFile } from '@amber-knit/core/io';
import type { CameraPlace, ViewingRange } from '@amber-knit/core/pictures';
import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import { demandClosed, demandColors, demandOnePiece, demandUpright } from './demand.js';
import { FILE_FIGURES } from './file-figures.js';
import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { ChoiceParam, CountParam, LengthParam, RatioParam, TextParam } from './params.js';
import { bytesText, countText, lengthText, shareText } from './quantity-text.js';
import { assertReadsBack } from './read-back.js';
import { remade } from './surface-remade.js';
import { fileBase } from './write-mesh-file.js';

export class DeliverRecognitionParams {
  @TextParam({ title: 'Name', help: 'What the object is called there; also the name of the file, without ending.' })
  name = 'mesh';

  @ChoiceParam({
    title: 'Seen from',
    help: 'From where the camera will meet the object: from anywhere, from the level upwards as on a table, or from one height all around as on a belt.',
    choices: { all: 'Anywhere', above: 'The level upwards', ring: 'One height all around' },
  })
  range: ViewingRange = 'above';

  @RatioParam({
    title: 'Height of the camera',
    help: 'How far above the level it looks from, where it goes all around at one height.',
    unit: '°',
    min: -90,
    max: 90,
  })
  elevation = 30;

  @CountParam({
    title: 'Directions',
    help: 'So many pictures, evenly spread, each with its depth.',
    unit: '',
    min: 1,
    max: 200,
  })
  directions = 24;

  @LengthParam({
    title: 'Longest side',
    help: 'Of the real object, measured with a calliper or a tape. If the model differs by more than 1 %, nothing is written.',
    min: 0,
    max: 100_000,
    whenEmpty: 'not measured',
  })
  longest = 0;

  @CountParam({
    title: 'Triangles at most',
    help: 'A surface with more is reduced. Fifty thousand suit most programs that compare pictures; common practice, no source. A surface with a map keeps its triangles: make a light model if there are too many.',
    unit: '',
    min: 500,
    max: 2_000_000,
    more: true,
  })
  triangles = 50_000;

  @CountParam({
    title: 'Edge of a picture',
    help: 'Width and height of the pictures.',
    unit: 'pixels',
    min: 64,
    max: 1024,
    more: true,
  })
  size = 384;
}

/** How far the model may differ from what was measured. */
const SIZE_WITHIN = 0.01;
/** Loose pieces of so few of the triangles are crumbs, and named as such. */
const CRUMB = 0.01;
/** Behind the object nothing distracts. */
const GROUND = [0, 0, 0] as const;
/** A step of the depth pictures, mm: 16 bits reach to 6.5 m; beyond that steps are larger. */
const DEPTH_STEP = 0.1;
const DEPTH_STEPS = 65_535;

/** A model for programs that find an object in a camera's picture. */
export const deliverRecognition = defineOperation({
  id: OPERATION_IDS.deliverRecognition,
  version: 1,
  stage: 'deliver',
  title: 'For recognition by a camera',
  help: 'One clean object with its up, true size and colours, as GLB; pictures and depths from where it will be seen, with camera and pose; and by which turns it looks the same. All in one zip.',
  words: 'train training detect detection recognise camera vision learning robot synthetic',
  needs: ['mesh'],
  uses: ['model', 'light'],
  gives: ['file'],
  params: DeliverRecognitionParams,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  demands: (surface, { hasFrames }) => [
    demandOnePiece(surface),
    demandUpright(surface),
    demandColors(surface, hasFrames),
    demandClosed(surface, false),
  ],
  async run({ mesh, model, light }, params, ctx) {
    await assertOneObject(mesh);
    const size = sizeOf(mesh);
    const longest = Math.max(...size);
    if (params.longest > 0 && Math.abs(longest - params.longest) > SIZE_WITHIN * params.longest)
      throw new GeometryError(
        'invalid-parameter',
        `The model's longest side has ${lengthText(longest)}, the object's ${lengthText(params.longest)}: ${shareText(Math.abs(longest / params.longest - 1))} apart. Measure again, or set the scale at Check; nothing was written.`,
      );
    const lowest = boundsOf(mesh.positions).min[2];
    if (Math.abs(lowest) > 0.01 * longest)
      ctx.note('The piece does not stand on the ground: set it upright at Check if Z is not its up.');
    const whole = model ?? mesh;
    if (!('cornerUvs' in whole) && !whole.colors)
      ctx.note('The surface has no colours: texture it first if the camera is to know it by them.');
    const shown = await slim(whole, light, params.triangles, ctx.part(0, 0.2, 'Making it light'));

    const { turningSymmetry } = await import('@amber-knit/core/comparison');
    const symmetry = turningSymmetry(whole, ctx.part(0.2, 0.4, 'Looking for symmetry'));
    const base = fileBase(params.name);
    const { writeGlb, writePackage } = await import('@amber-knit/core/io');
    const glb = { name: `${base}.glb`, mediaType: 'model/gltf-binary', bytes: await writeGlb(shown, base) };
    const read = await assertReadsBack(glb, shown, 'm');
    const views = await picturesOf(whole, mesh.invented, params, ctx.part(0.4, 0.9, 'Taking pictures'));
    const description = describe(params, size, triangleCount(shown), symmetry, views);
    const bytes = writePackage([
      { name: glb.name, content: glb.bytes },
      { name: 'object.json', content: JSON.stringify(description, null, 2) + '\n' },
      ...views.flatMap((v) => v.files),
      { name: 'README.txt', content: readme(base, params, symmetry) },
    ]);
    const worst = Math.max(0, ...views.map((v) => v.inventedRatio));
    if (worst > 0.1)
      ctx.note(
        `From one direction ${shareText(worst)} of what is seen was invented, no scan saw it (object.json says it for each): scan that side if the camera will see it.`,
      );
    return {
      outputs: { file: { name: `${base}-recognition.zip`, mediaType: 'application/zip', bytes } },
      figures: {
        file: `${base}-recognition.zip`,
        bytes: bytes.length,
        directions: views.length,
        looksSame: symmetryText(symmetry.look),
        sameShape: symmetryText(symmetry.shape),
        invented: worst,
        size: read.size,
        triangles: read.triangles,
        ...(params.longest > 0 ? { offSize: longest - params.longest } : {}),
      },
    };
  },
  figures: {
    file: FILE_FIGURES.file,
    bytes: FILE_FIGURES.bytes,
    directions: {
      kind: 'count',
      rank: 'headline',
      label: 'Directions',
      help: 'Pictures with depth, camera and pose.',
    },
    looksSame: {
      kind: 'text',
      rank: 'headline',
      label: 'Looks the same',
      help: 'After which turns about its upright axis nothing, neither shape nor colour, tells that it was turned.',
    },
    sameShape: {
      kind: 'text',
      rank: 'detail',
      label: 'Has the same shape',
      help: 'The same by shape alone: where it differs, only colours tell the turns apart.',
    },
    invented: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Invented in one view',
      help: 'The largest share of what one of the pictures shows that no scan saw.',
      limits: { good: 0.05, bad: 0.25 },
    },
    size: FILE_FIGURES.size,
    offSize: {
      kind: 'length',
      rank: 'detail',
      label: 'Off what was measured',
      help: 'Longest side of the model less that of the object; missing where none was given.',
    },
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'As read back from the file.' },
  },
  summarize: (f) => `${f.file}, ${bytesText(f.bytes)}, ${countText(f.directions)} directions`,
  cell: (f) => ({ figure: `${countText(f.directions)} views`, detail: bytesText(f.bytes) }),
});

/** @throws GeometryError `not-manifold` that says what must be mended first */
async function assertOneObject(mesh: TriangleMesh): Promise<void> {
  const { findSurfaceFaults, inspectTopology, makeManifold } = await import('@amber-knit/core/mesh');
  const { nonManifoldEdges, nonManifoldVertices } = inspectTopology(mesh);
  const sound = nonManifoldEdges + nonManifoldVertices === 0 ? mesh : makeManifold(mesh).mesh;
  const pieces = findSurfaceFaults(sound).pieces.filter((p) => !p.inner);
  const triangles = pieces.reduce((sum, p) => sum + p.triangles, 0);
  const crumbs = pieces.filter((p) => p.triangles < CRUMB * triangles).length;
  if (pieces.length > 1)
    throw new GeometryError(
      'not-manifold',
      `A camera must know one object, this surface is in ${pieces.length} pieces${crumbs > 0 ? `, ${crumbs} of them crumbs` : ''}. Take the loose ones away at Mend (the form Mend keeps the largest), then come back. Nothing was written.`,
    );
  if (pieces[0]?.rims === 0 && pieces[0].volume < 0)
    throw new GeometryError(
      'not-manifold',
      'The surface is inside out: cameras would look through it. Mend it first (the form Mend does it), then come back. Nothing was written.',
    );
}

/** What is written: the surface where it is light enough, else the light model, else a reduced one. */
async function slim(
  whole: TriangleMesh | TexturedMesh,
  light: TexturedMesh | undefined,
  most: number,
  ctx: RunContext,
): Promise<TriangleMesh | TexturedMesh> {
  const plain = withoutKnowledge(whole) as TriangleMesh | TexturedMesh;
  if (triangleCount(whole) <= most) return plain;
  if (light && triangleCount(light) <= most) return withoutKnowledge(light) as TexturedMesh;
  if ('cornerUvs' in plain) {
    ctx.note(
      `The textured surface has ${countText(triangleCount(plain))} triangles, more than ${countText(most)}. Make a light model at Texture to have fewer.`,
    );
    return plain;
  }
  const { reduceMesh } = await import('@amber-knit/core/remeshing');
  const fewer = reduceMesh(plain, { triangles: most }, ctx.part(0, 0.6));
  return (await remade(plain, fewer, ctx.part(0.6, 1))).light;
}

const sizeOf = (mesh: TriangleMesh): [number, number, number] => {
  const { min, max } = boundsOf(mesh.positions);
  return [max[0] - min[0], max[1] - min[1], max[2] - min[2]];
};

interface TakenView {
  place: CameraPlace;
  files: PackedFile[];
  depthStep: number;
  /** Share of what it shows that no scan saw. */
  inventedRatio: number;
}

async function picturesOf(
  mesh: TriangleMesh | TexturedMesh,
  invented: Uint8Array | undefined,
  { range, elevation, directions, size }: DeliverRecognitionParams,
  ctx: RunContext,
): Promise<TakenView[]> {
  const { camerasAround, pictureThrough, viewingDirections } = await import('@amber-knit/core/pictures');
  const { encodeColorPng, encodeMapPng } = await import('@amber-knit/core/stored');
  const places = camerasAround(mesh, viewingDirections(range, directions, (elevation * Math.PI) / 180), size);
  // A textured surface has the vertices of the plain one: what they know holds for it as well.
  const known = invented?.length === vertexCount(mesh) ? invented : mesh.invented;
  return places.map((place, k): TakenView => {
    ctx.checkpoint(k / places.length, `Picture ${k + 1} of ${places.length}`);
    const { image, depth, triangle } = pictureThrough(mesh, place, GROUND);
    const farthest = depth.reduce((most, d) => Math.max(most, d), 0);
    const depthStep = Math.max(DEPTH_STEP, farthest / DEPTH_STEPS);
    let [seen, made] = [0, 0];
    for (const t of triangle) {
      if (t < 0) continue;
      seen++;
      if (known && [0, 1, 2].every((c) => known[mesh.indices[3 * t + c]] === 1)) made++;
    }
    const number = String(k + 1).padStart(3, '0');
    return {
      place,
      depthStep,
      inventedRatio: seen > 0 ? made / seen : 0,
      files: [
        { name: `views/${number}.png`, content: encodeColorPng(image) },
        {
          name: `depths/${number}.png`,
          content: encodeMapPng({
            width: size,
            height: size,
            channels: 1,
            data: Uint16Array.from(depth, (d) => Math.round(d / depthStep)),
          }),
        },
      ],
    };
  });
}

/** What `object.json` says (docs/formats.md). */
function describe(
  { name }: DeliverRecognitionParams,
  size: readonly number[],
  triangles: number,
  symmetry: TurningSymmetry,
  views: readonly TakenView[],
): object {
  return {
    version: 1,
    name,
    units: 'mm, radians; the GLB is in metres with Y up, as its standard asks',
    up: [0, 0, 1],
    size,
    triangles,
    symmetry: {
      axis: { at: [...symmetry.axis, 0], direction: [0, 0, 1] },
      // JSON knows no infinity.
      looksTheSame: Number.isFinite(symmetry.look) ? symmetry.look : 'every turn',
      hasTheSameShape: Number.isFinite(symmetry.shape) ? symmetry.shape : 'every turn',
    },
    views: views.map(({ place: { camera, meshFromSensor }, files, depthStep, inventedRatio }) => ({
      picture: files[0].name,
      depth: files[1].name,
      depthStep,
      camera,
      objectFromCamera: Array.from(meshFromSensor),
      inventedRatio,
    })),
  };
}

function symmetryText(order: number): string {
  if (order === 1) return 'after no turn';
  return Number.isFinite(order) ? `after each ${Number((360 / order).toFixed(1))}°` : 'after every turn';
}

const readme = (base: string, { name, size }: DeliverRecognitionParams, symmetry: TurningSymmetry): string =>
  `${name}: a model for recognition by a camera

${base}.glb     the object in true size: metres, Y up, as glTF asks
object.json     name, size, symmetry, and for each view its camera and pose
views/          what the camera sees, ${size} x ${size} pixels, sRGB, black beside the object, unlit: its own colours
depths/         the same as depth along the camera's axis, 16 bits, one step is "depthStep" mm, 0 beside the object

In object.json lengths are millimetres and Z is up. "objectFromCamera" is a rigid motion of 16 numbers, column by column;
a camera looks along +Z, X to the right, Y down, and the middle of pixel (u, v) lies at ((u - cx) / fx, (v - cy) / fy, 1).
"inventedRatio" is the share of what a view shows that no scan measured.

Turned about its upright axis the object looks the same ${symmetryText(symmetry.look)}; by shape alone ${symmetryText(symmetry.shape)}.
Poses that differ by such a turn can't be told apart and must count as one.
`;
