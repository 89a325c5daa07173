import type { DescribedShape } from '@amber-knit/core/dimensions';
import { boundsOf, triangleCount, type TriangleMesh } from '@amber-knit/core/geometry';
import type { DrawingLine, PackedFile } from '@amber-knit/core/io';
import type { Vec3 } from '@amber-knit/core/math';
import type { Section } from '@amber-knit/core/measure';
import type { RunContext } from '@amber-knit/core/runtime';
import { demandClosed, demandUpright } from './demand.js';
import { FILE_FIGURES } from './file-figures.js';
import { defineOperation } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { ChoiceParam, CountParam, LengthParam, TextParam } from './params.js';
import { bytesText, countText, lengthText } from './quantity-text.js';
import { assertReadsBack } from './read-back.js';
import { fileBase, writeMeshFile } from './write-mesh-file.js';

export class DeliverCadParams {
  @TextParam({ title: 'Name', help: 'Name of the files, without ending.' })
  name = 'mesh';

  @CountParam({
    title: 'Shapes to find',
    help: 'Planes, balls, cylinders, cones and rings that are looked for besides those picked at Check, the largest first; 0 takes the picked ones alone.',
    unit: '',
    min: 0,
    max: 200,
  })
  shapes = 40;

  @LengthParam({
    title: 'A section every',
    help: 'Distance between the sections across the piece; two hundred at most. Sections picked at Check are always written.',
    min: 0,
    max: 100_000,
    whenEmpty: 'no such sections',
  })
  every = 10;

  @ChoiceParam({
    title: 'Sections across',
    help: 'The axis that they stand across: Z gives level ones.',
    choices: { z: 'Z, level', x: 'X', y: 'Y' },
  })
  across: 'x' | 'y' | 'z' = 'z';

  @ChoiceParam({
    title: 'Mesh as',
    help: 'STL for most programs; PLY also says of each vertex what is known of it: invented, expected error, by which scans.',
    choices: { stl: 'STL', ply: 'PLY' },
    more: true,
  })
  mesh: 'stl' | 'ply' = 'stl';
}

const MOST_SECTIONS = 200;
/** A section so near to an end of the piece, in steps, would cut a face along itself. */
const ENDS = 1e-4;
const AXES: Record<'x' | 'y' | 'z', Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/** A section with its name. */
interface NamedSection extends Section {
  name: string;
}

/** What somebody who draws the object anew needs of it. */
export const deliverCad = defineOperation({
  id: OPERATION_IDS.deliverCad,
  version: 1,
  stage: 'deliver',
  title: 'As reference for CAD',
  help: 'The whole mesh in millimetres as it stands, the shapes it is made of with their sizes and uncertainties (JSON, and DXF with axes and outlines in space), and sections as DXF and SVG in true scale. All in one zip.',
  words: 'cad reverse engineering dxf drawing outlines construction design',
  needs: ['mesh'],
  uses: ['dimensions'],
  gives: ['file'],
  params: DeliverCadParams,
  suggest: (stats) => ({
    ...(stats.name ? { name: stats.name } : {}),
    ...(stats.plan?.size ? { every: niceStep(stats.plan.size / 15) } : {}),
  }),
  because: (stats) => (stats.plan?.size ? { every: 'About fifteen across the planned size.' } : {}),
  demands: (surface) => [demandUpright(surface), demandClosed(surface, false)],
  async run({ mesh, dimensions }, params, ctx) {
    const { shapeSheet } = await import('@amber-knit/core/dimensions');
    const { writeDxfLines, writePackage } = await import('@amber-knit/core/io');
    const lowest = boundsOf(mesh.positions).min[2];
    const height = boundsOf(mesh.positions).max[2] - lowest;
    if (Math.abs(lowest) > 0.01 * height)
      ctx.note(
        'The piece does not stand on the ground. Set it upright at Check if its axes are to be those of the drawing.',
      );
    const base = fileBase(params.name);
    const file = await writeMeshFile(mesh, { name: base, format: params.mesh, unit: 'mm' });
    const read = await assertReadsBack(file, mesh, 'mm');
    const shapes = shapeSheet(mesh, dimensions?.asked ?? [], params.shapes, ctx.part(0.1, 0.7, 'Looking for shapes'));
    const sections = await sectionsOf(mesh, params, dimensions?.asked ?? [], ctx.part(0.7, 0.95, 'Cutting'));
    const open = sections.filter((s) => s.openCurves > 0).length;
    if (open > 0)
      ctx.note(
        `${open} of ${sections.length} sections have open outlines: the surface has holes there. Mend them if the areas are to count.`,
      );
    const outlines = shapes.flatMap(({ name, lines }) =>
      lines.map((points): DrawingLine => ({ layer: name, closed: false, points: Float64Array.from(points) })),
    );
    const bytes = writePackage([
      { name: file.name, content: file.bytes },
      { name: 'shapes.json', content: JSON.stringify(sheetOf(shapes, sections), null, 2) + '\n' },
      { name: 'shapes.dxf', content: writeDxfLines(outlines) },
      ...(await drawingsOf(sections)),
      { name: 'README.txt', content: readme(base, file.name, shapes, sections) },
    ]);
    return {
      outputs: { file: { name: `${base}-cad.zip`, mediaType: 'application/zip', bytes } },
      figures: {
        file: `${base}-cad.zip`,
        bytes: bytes.length,
        shapes: shapes.length,
        picked: shapes.filter((s) => s.picked).length,
        covered: shapes.reduce((sum, s) => sum + s.area, 0) / (await areaOf(mesh)),
        sections: sections.length,
        size: read.size,
        triangles: triangleCount(mesh),
      },
    };
  },
  figures: {
    file: FILE_FIGURES.file,
    bytes: FILE_FIGURES.bytes,
    shapes: { kind: 'count', rank: 'headline', label: 'Shapes', help: 'Shapes with sizes and uncertainties.' },
    sections: { kind: 'count', rank: 'headline', label: 'Sections', help: 'Each as DXF and SVG in true scale.' },
    picked: { kind: 'count', rank: 'detail', label: 'Of them picked', help: 'Picked as dimensions at Check.' },
    covered: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Of these shapes',
      help: 'Share of the surface that the shapes account for; the rest is of free form, or too small.',
    },
    size: FILE_FIGURES.size,
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the mesh.' },
  },
  summarize: (f) =>
    `${f.file}, ${bytesText(f.bytes)}, ${countText(f.shapes)} shapes, ${countText(f.sections)} sections`,
  cell: (f) => ({ figure: `${countText(f.shapes)} shapes`, detail: `${countText(f.sections)} sections` }),
});

/** 1, 2 or 5 times a power of ten, the nearest below. */
function niceStep(length: number): number {
  const power = 10 ** Math.floor(Math.log10(length));
  return power * (length >= 5 * power ? 5 : length >= 2 * power ? 2 : 1);
}

async function sectionsOf(
  mesh: TriangleMesh,
  { every, across }: DeliverCadParams,
  asked: readonly { kind: string; name: string; places: Vec3[]; direction?: Vec3 }[],
  ctx: RunContext,
): Promise<NamedSection[]> {
  const { cutSurface, sectionPlane } = await import('@amber-knit/core/measure');
  const planes: { name: string; at: Vec3; direction: Vec3 }[] = asked
    .filter((d) => d.kind === 'section')
    .map((d) => ({ name: d.name, at: d.places[0], direction: d.direction ?? AXES.z }));
  if (every > 0) {
    const k = 'xyz'.indexOf(across);
    const { min, max } = boundsOf(mesh.positions);
    // At whole multiples: the same heights in every file of the piece.
    const from = Math.floor(min[k] / every + ENDS) + 1;
    const to = Math.ceil(max[k] / every - ENDS) - 1;
    if (to - from + 1 > MOST_SECTIONS)
      ctx.note(
        `Every ${lengthText(every)} there would be ${to - from + 1} sections: the first ${MOST_SECTIONS} were cut. Take a greater distance to have all of it.`,
      );
    for (let i = from; i <= Math.min(to, from + MOST_SECTIONS - 1); i++) {
      const at: Vec3 = [0, 0, 0];
      at[k] = i * every;
      planes.push({ name: `${across} ${Number((i * every).toFixed(4))}`, at, direction: AXES[across] });
    }
  }
  return planes.map(({ name, at, direction }, i) => {
    ctx.checkpoint(i / planes.length);
    return { name, ...cutSurface(mesh, sectionPlane(at, direction)) };
  });
}

async function drawingsOf(sections: readonly NamedSection[]): Promise<PackedFile[]> {
  const { writeDxfDrawing, writeSvgDrawing } = await import('@amber-knit/core/io');
  const { flatCurve } = await import('@amber-knit/core/measure');
  return sections.flatMap((section, i) => {
    const lines = section.curves.map((curve): DrawingLine => ({
      layer: section.name,
      closed: curve.closed,
      points: flatCurve(curve, section.plane),
    }));
    const file = `sections/${String(i + 1).padStart(3, '0')} ${fileBase(section.name)}`;
    return [
      { name: `${file}.dxf`, content: writeDxfDrawing(lines) },
      { name: `${file}.svg`, content: writeSvgDrawing(lines, section.name) },
    ];
  });
}

async function areaOf(mesh: TriangleMesh): Promise<number> {
  const { surfaceArea } = await import('@amber-knit/core/measure');
  return surfaceArea(mesh) || 1;
}

/** What `shapes.json` says (docs/formats.md). */
const sheetOf = (shapes: readonly DescribedShape[], sections: readonly NamedSection[]): object => ({
  version: 1,
  units: 'mm, radians',
  up: [0, 0, 1],
  shapes: shapes.map(({ lines: _lines, ...shape }) => shape),
  sections: sections.map(({ name, plane, length, area, openCurves }) => ({
    name,
    at: plane.at,
    normal: plane.normal,
    right: plane.u,
    up: plane.v,
    length,
    ...(openCurves === 0 ? { area } : { openCurves }),
  })),
});

const readme = (
  base: string,
  mesh: string,
  shapes: readonly DescribedShape[],
  sections: readonly NamedSection[],
): string => `${base}: reference for CAD

${mesh}     the whole mesh, millimetres, Z up
shapes.json     ${shapes.length} shapes with sizes, places, uncertainties (one standard deviation) and how far the surface lies off them;
                where each of the ${sections.length} sections lies, and its length and area
shapes.dxf      axes and outlines of the shapes in space, a layer each, millimetres
sections/       each section as DXF and SVG in true scale, as seen against its normal

"picked" shapes were chosen by a person, the others were found. "inventedRatio" is the share of a shape's surface that no scan
measured: it took no part in the fit.
`;
