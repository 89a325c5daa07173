import { boundsOf, pointCount, sensorPositions, type Scan } from '@amber-knit/core/geometry';
import type { RunContext } from '@amber-knit/core/runtime';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { ChoiceParam, PlannedSizeParam, TextParam } from './params.js';
import { scansFromFile } from './read-scans.js';
import type { Unit } from './units.js';

export class CaptureImportParams {
  @TextParam({
    title: 'Name',
    help: 'Name of the scan; empty takes the file’s. A file of several scans has its own names.',
  })
  name = '';

  @ChoiceParam({
    title: 'Unit',
    help: 'Unit of the coordinates in the file. “Millimetres, checked” asks back where that can hardly be. Formats that fix their unit (glTF, E57) are not asked about.',
    choices: { auto: 'Millimetres, checked', mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit | 'auto' = 'auto';

  @ChoiceParam({
    title: 'Sensor',
    help: 'Where the sensor stood in the file’s coordinates. It tells which side of the surface is outside.',
    choices: { auto: 'Guess from the points', origin: 'At the origin', none: 'Not known' },
  })
  viewpoint: 'auto' | 'origin' | 'none' = 'auto';

  @TextParam({
    title: 'Columns',
    help: 'What the columns of a text file hold, such as "x y z - r g b" (also nx ny nz; - is passed over). Empty guesses.',
    whenEmpty: 'guessed',
  })
  columns = '';

  @PlannedSizeParam()
  expected = 0;
}

/** Brings the scans of a file in: checks them, converts them to millimetres, finds out where the sensor stood. */
export const captureImport = defineOperation({
  id: OPERATION_IDS.captureImport,
  version: 3,
  stage: 'capture',
  title: 'Import scans',
  help: 'Reads a scan file (PLY, OBJ, STL, OFF, PCD, E57, glTF, points as text), a zip of such files, or of depth pictures, checks it and adds its scans to the piece.',
  needs: ['file'],
  uses: ['placements'],
  gives: ['scans'],
  params: CaptureImportParams,
  suggest: (stats) => (stats.plan ? { expected: stats.plan.size } : {}),
  async run({ file, placements = [] }, params, ctx) {
    ctx.checkpoint(0.02, 'Reading');
    const read = await scansFromFile(file.source ?? file.bytes, file.name, {
      ...params,
      step: (f) => ctx.checkpoint(0.05 + 0.55 * f, 'Reading'),
    });
    read.notes.forEach((n) => ctx.note(n));
    const scans: Scan[] = [];
    let noise = 0;
    for (const scan of read.scans) {
      const at = (k: number): number => 0.6 + (0.35 * k) / read.scans.length;
      ctx.checkpoint(at(scans.length), `Checking ${scan.name}`);
      const arrived = await withNormals(
        scan,
        ctx.part(at(scans.length), at(scans.length + 1), `Checking ${scan.name}`),
      );
      scans.push(arrived.scan);
      noise = Math.max(noise, arrived.noise);
    }
    // Places of one file mean nothing to scans that are placed already.
    const places = placements.length === 0 ? read.placements : undefined;
    if (read.placements) {
      ctx.note(
        places
          ? 'The scans stand where the file says. They count as placed: fit them finely to have them registered.'
          : 'The file says how its scans stand to one another; the piece has places already, so they came in loose.',
      );
    }
    if (scans.some((s) => (s.frames?.length ?? 0) > 2))
      ctx.note(
        'The frames stand where the file says. If a tracker told their places, make the frames agree (Clean) before registering.',
      );
    const points = scans.reduce((n, s) => n + pointCount(s.cloud), 0);
    const frames = scans.reduce((n, s) => n + (s.frames?.length ?? 0), 0);
    const { estimateSpacing } = await import('@amber-knit/core/pointcloud');
    const { min, max } = boundsOf(scans[0].cloud.positions);
    return {
      outputs: { scans, ...(places ? { placements: places } : {}) },
      figures: {
        name: scans.length === 1 ? scans[0].name : file.name,
        scans: scans.length,
        points,
        spacing: estimateSpacing(scans[0].cloud),
        ...(noise > 0 ? { noise } : {}),
        size: [0, 1, 2].map((k) => (max[k] - min[k]).toFixed(1)).join(' × '),
        colours: scans.every((s) => s.cloud.colors !== undefined),
        ...(frames > 0 ? { frames } : {}),
      },
    };
  },
  figures: {
    name: { kind: 'text', rank: 'detail', label: 'Name', help: 'What the scan, or the file, is called.' },
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans that the file held.' },
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points of all scans together.' },
    size: {
      kind: 'text',
      rank: 'headline',
      label: 'Size',
      help: 'Length, width and height of the box around all points. If this cannot be, the unit was wrong.',
      unit: 'mm',
    },
    spacing: {
      kind: 'length',
      rank: 'detail',
      label: 'Spacing',
      help: 'Distance from a point to the next, in the middle. Nothing smaller can be seen in the scan.',
    },
    noise: {
      kind: 'length',
      rank: 'detail',
      label: 'Noise',
      help: 'How far points lie off the surface, root mean square.',
    },
    colours: { kind: 'flag', rank: 'detail', label: 'Colours', help: 'Every point has a colour.' },
    frames: {
      kind: 'count',
      rank: 'detail',
      label: 'Frames',
      help: 'Depth pictures that came with the scan. They colour the surface later.',
    },
  },
  summarize: (f) => {
    const several = Number(f.scans ?? 1) > 1 ? `${f.scans} scans, ` : '';
    return `${f.name}: ${several}${countText(f.points)} points${f.size && !several ? `, ${f.size} mm` : ''}`;
  },
});

/** From so many points on, normals are worked out for the cells of a grid: their noise is wider than their spacing. */
const MANY_POINTS = 3_000_000;

/** The scan with normals, and its noise where that was worked out (else 0). */
async function withNormals(scan: Scan, ctx: RunContext): Promise<{ scan: Scan; noise: number }> {
  if (scan.cloud.normals) return { scan, noise: 0 };
  const { estimateNormals, estimateNormalsByCell, orientNormals } = await import('@amber-knit/core/pointcloud');
  const viewpoints = sensorPositions(scan);
  if (viewpoints.length === 0)
    ctx.note(`${scan.name}: nothing says where the sensor stood. Which side is outside was worked out from the shape.`);
  const withThem = (normals: Float32Array): Scan => ({ ...scan, cloud: { ...scan.cloud, normals } });
  if (pointCount(scan.cloud) > MANY_POINTS) {
    const { normals, noise } = estimateNormalsByCell(scan.cloud, viewpoints, ctx);
    return { scan: withThem(normals), noise };
  }
  const { normals, noise } = estimateNormals(scan.cloud, viewpoints, {}, ctx);
  if (viewpoints.length > 0) return { scan: withThem(normals), noise };
  return { scan: withThem(orientNormals(scan.cloud.positions, normals, ctx)), noise };
}
