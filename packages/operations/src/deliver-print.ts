import { boundsOf, triangleCount, type TriangleMesh } from '@amber-knit/core/geometry';
import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import { demandClosed, demandNoCrossings, demandOnePiece, demandOutwards } from './demand.js';
import { FILE_FIGURES } from './file-figures.js';
import { defineOperation } from './operation.js';
import { ChoiceParam, LengthParam, TextParam } from './params.js';
import { bytesText, lengthText, shareText } from './quantity-text.js';
import { assertReadsBack } from './read-back.js';
import { writeMeshFile } from './write-mesh-file.js';

export class DeliverPrintParams {
  @TextParam({ title: 'Name', help: 'Name of the file, without ending.' })
  name = 'mesh';

  @ChoiceParam({
    title: 'Format',
    help: '3MF says its unit and carries colours. STL carries the shape alone, in millimetres.',
    choices: { '3mf': '3MF', stl: 'STL' },
  })
  format: '3mf' | 'stl' = '3mf';

  @LengthParam({
    title: 'Thinnest wall',
    help: 'Walls thinner than this are counted: what the printer can’t do. 1.2 mm suits many; common practice, no source.',
    min: 0.05,
    max: 50,
  })
  wall = 1.2;
}

/** A file to be printed: written only if the surface can be. */
export const deliverPrint = defineOperation({
  id: 'deliver.print',
  version: 2,
  stage: 'deliver',
  title: 'For printing',
  help: 'Checks that the surface is closed, faces outwards, crosses itself nowhere and is one piece, measures its walls, puts it on the ground and writes it in millimetres.',
  words: '3d print printer printing stl 3mf slicer',
  needs: ['mesh'],
  uses: ['model'],
  gives: ['file'],
  params: DeliverPrintParams,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  demands: (surface) => [
    demandClosed(surface, true),
    demandOnePiece(surface),
    demandNoCrossings(surface),
    demandOutwards(surface),
  ],
  async run({ mesh, model }, params, ctx) {
    await assertPrintable(mesh, ctx.part(0, 0.4, 'Checking'));
    const { wallMap } = await import('@amber-knit/core/measure');
    const walls = wallMap(mesh, params.wall, 'ray', ctx.part(0.4, 0.8, 'Measuring walls'));
    if (walls.thinRatio > 0)
      ctx.note(
        `${shareText(walls.thinRatio)} of the surface has walls thinner than ${lengthText(params.wall)}, the thinnest ${lengthText(walls.thinnest)}. They may not print; Walls at Check shows where.`,
      );
    const lowest = boundsOf(mesh.positions).min[2];
    const whole = model ?? mesh;
    const standing = { ...whole, positions: whole.positions.map((v, i) => (i % 3 === 2 ? v - lowest : v)) };
    ctx.checkpoint(0.85, 'Writing');
    const file = await writeMeshFile(standing, { ...params, unit: 'mm' });
    const read = await assertReadsBack(file, standing, 'mm');
    return {
      outputs: { file },
      figures: {
        file: file.name,
        bytes: file.bytes.length,
        size: read.size,
        ...(walls.thinnest > 0 ? { thinnest: walls.thinnest } : {}),
        thin: walls.thinRatio,
        triangles: triangleCount(mesh),
        closed: read.closed,
      },
    };
  },
  figures: {
    file: FILE_FIGURES.file,
    bytes: FILE_FIGURES.bytes,
    thin: {
      kind: 'ratio',
      rank: 'headline',
      label: 'Too thin',
      help: 'Share of the surface with walls thinner than asked.',
      limits: { good: 0.001, bad: 0.05 },
    },
    thinnest: {
      kind: 'length',
      rank: 'detail',
      label: 'Thinnest wall',
      help: 'Where a thousandth of the surface has thinner walls; missing where no wall is below eight times what was asked.',
    },
    size: { kind: 'length', rank: 'detail', label: 'Longest side', help: 'As read back from the file.' },
    triangles: { kind: 'count', rank: 'detail', label: 'Triangles', help: 'Triangles of the surface.' },
    closed: { kind: 'flag', rank: 'diagnostic', label: 'Closed', help: 'As read back from the file.' },
  },
  summarize: (f) => `${f.file}, ${bytesText(f.bytes)}, ready to print, ${shareText(f.thin)} thinner than asked`,
  cell: (f) => ({ figure: (f.file ?? '').replace(/^.*\./, '').toUpperCase(), detail: bytesText(f.bytes) }),
});

/** @throws GeometryError `not-manifold` that lists what must be mended first */
async function assertPrintable(mesh: TriangleMesh, ctx: RunContext): Promise<void> {
  const { findCrossings, findSurfaceFaults, inspectTopology } = await import('@amber-knit/core/mesh');
  const report = inspectTopology(mesh);
  const faults: string[] = [];
  const many = (n: number, one: string, more: string): string => `${n} ${n === 1 ? one : more}`;
  if (!report.watertight) {
    if (report.nonManifoldEdges + report.nonManifoldVertices > 0)
      faults.push(
        many(report.nonManifoldEdges + report.nonManifoldVertices, 'place hangs', 'places hang') +
          ' together in no way a solid can',
      );
    if (report.holes > 0) faults.push(`${many(report.holes, 'hole is', 'holes are')} open`);
    if (faults.length === 0) faults.push('it is not closed');
  }
  ctx.checkpoint(0.3);
  const crossings = findCrossings(mesh).length / 2;
  if (crossings > 0) faults.push(`${many(crossings, 'pair of triangles crosses', 'pairs of triangles cross')}`);
  ctx.checkpoint(0.8);
  if (report.watertight) {
    const { pieces } = findSurfaceFaults(mesh);
    const outside = pieces.filter((p) => !p.inner);
    if (outside.length > 1) faults.push(`it is in ${outside.length} pieces`);
    if (outside.some((p) => p.volume < 0)) faults.push('it is inside out');
  }
  if (faults.length > 0)
    throw new GeometryError(
      'not-manifold',
      `This can't be printed as it is: ${faults.join('; ')}. Mend first (the form Mend does it in one go), then come back. Nothing was written.`,
    );
}
