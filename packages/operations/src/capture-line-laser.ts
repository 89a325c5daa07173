import { pinhole, pointCount, type Scan } from '@amber-knit/core/geometry';
import type { Vec3 } from '@amber-knit/core/math';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { ChoiceParam, CountParam, LengthParam, RatioParam, TextParam } from './params.js';

export class CaptureLineLaserParams {
  @TextParam({ title: 'Name', help: 'Name of the scan; empty takes the recording’s.' })
  name = '';

  @LengthParam({ title: 'Distance', min: 20, max: 10_000, help: 'From the camera’s lens to the axis of the platform.' })
  distance = 400;

  @LengthParam({ title: 'Height', min: -2000, max: 5000, help: 'From the platform’s top up to the lens.' })
  height = 100;

  @RatioParam({
    title: 'Laser angle',
    unit: '°',
    min: -90,
    max: 90,
    help: 'Between the camera’s direction and the laser’s, seen from the axis; above 0 the laser stands to the right.',
  })
  laserAngle = 30;

  @RatioParam({
    title: 'Field of view',
    unit: '°',
    min: 3,
    max: 120,
    help: 'How wide the camera sees, left to right.',
  })
  fieldOfView = 45;

  @RatioParam({
    title: 'Axis column',
    unit: 'px',
    min: 0,
    max: 16_000,
    help: 'Column of the picture in which the axis stands; empty or 0 is the middle.',
    whenEmpty: 'the middle',
  })
  axisColumn = 0;

  @RatioParam({
    title: 'Camera’s tilt',
    unit: '°',
    min: -30,
    max: 30,
    help: 'By how much the camera looks above level, as its spirit level tells; 0 stands level.',
  })
  tilt = 0;

  @RatioParam({
    title: 'Camera’s roll',
    unit: '°',
    min: -30,
    max: 30,
    help: 'By how much the right side of its picture stands above level, as its spirit level tells; 0 stands level.',
  })
  roll = 0;

  @CountParam({
    title: 'First picture',
    min: 0,
    max: 100_000,
    help: 'The picture that the turn begins with; 0 is the first.',
  })
  first = 0;

  @RatioParam({
    title: 'Pictures a turn',
    min: 0,
    max: 100_000,
    help: 'Pictures in one exact turn; need not be whole. Empty or 0 compares the pictures and finds it.',
    whenEmpty: 'found by comparing',
  })
  count = 0;

  @ChoiceParam({
    title: 'Turning',
    help: 'Way of the platform, seen from above. The wrong one mirrors the object.',
    choices: { found: 'Found by comparing', left: 'Counter-clockwise', right: 'Clockwise' },
  })
  turning: 'found' | 'left' | 'right' = 'found';

  @ChoiceParam({
    title: 'Laser colour',
    help: 'Colour of the line.',
    choices: { red: 'Red', green: 'Green', blue: 'Blue' },
  })
  color: 'red' | 'green' | 'blue' = 'red';

  @RatioParam({
    title: 'Light suppression',
    min: 0,
    max: 1,
    help: 'Share of the other colours that is taken off: more hides white light better, and the over-exposed middle of the line with it.',
  })
  suppression = 0.9;

  @RatioParam({ title: 'Line width', unit: 'px', min: 1, max: 30, help: 'Width of the line at half its brightness.' })
  lineWidth = 3.5;

  @CountParam({ title: 'Threshold', min: 2, max: 255, help: 'A line must stand out by so many grey levels.' })
  threshold = 30;

  @LengthParam({
    title: 'Platform',
    min: 0,
    max: 5000,
    help: 'Width of the platform; what lies beyond its edge is left out. Empty or 0 keeps everything.',
    whenEmpty: 'no limit',
  })
  platform = 0;

  @LengthParam({
    title: 'Spacing',
    min: 0,
    max: 20,
    help: 'Points nearer to one another are averaged. Along a line they lie far denser than from picture to picture; empty or 0 evens that out.',
    whenEmpty: 'as the pictures',
  })
  spacing = 0;

  @LengthParam({ title: 'From height', min: -1000, max: 1000, help: 'What lies lower over the platform is left out.' })
  lowest = 0.8;
}

/** Makes a scan of a recording: a laser line over an object on a turning platform. */
export const captureLineLaser = defineOperation({
  id: OPERATION_IDS.captureLineLaser,
  version: 2,
  stage: 'capture',
  title: 'Scan a line-laser recording',
  help: 'Finds the laser line in every picture of one turn, works out where it lies in space, and makes a scan of it. Takes a zip of numbered pictures.',
  needs: ['file'],
  gives: ['scans'],
  params: CaptureLineLaserParams,
  suggest: () => ({}),
  async run({ file }, params, ctx) {
    const { decodeColor, decodePictureZip } = await import('@amber-knit/core/stored');
    const { arcStep, findExactTurn, normalRadius, findLinesTask, picturesOf, scanTurn, thumbnailOf } =
      await import('@amber-knit/core/line-laser');
    const { estimateNormals, estimateSpacing, thinByVoxel } = await import('@amber-knit/core/pointcloud');
    const { mapTask } = await import('@amber-knit/core/runtime');
    ctx.checkpoint(0.02, 'Reading the pictures');
    const pictures = decodePictureZip(file.bytes);
    const { width, height } = decodeColor(pictures[0].bytes, pictures[0].name);
    const camera = pinhole(width, height, params.fieldOfView);
    const stand = { ...params, camera, axisColumn: params.axisColumn || camera.cx };

    let { first, count: inTurn } = params;
    let direction: 1 | -1 = params.turning === 'right' ? -1 : 1;
    if (!inTurn || params.turning === 'found') {
      ctx.checkpoint(0.1, 'Comparing the pictures');
      const found = findExactTurn(
        pictures.map((p, i) => {
          ctx.checkpoint(0.1 + (0.2 * i) / pictures.length);
          return thumbnailOf(decodeColor(p.bytes, p.name));
        }),
      );
      if (params.turning === 'found') direction = found.direction;
      if (!inTurn) {
        inTurn = found.candidates[0]?.count ?? pictures.length;
        if (!found.clear) {
          ctx.note(
            'No turn stands out in the pictures: the object looks alike all round, or less than one turn was recorded. Check “Pictures a turn”.',
          );
        }
      }
    }
    first = Math.min(first, Math.max(0, pictures.length - 1));
    const turn = { first, count: inTurn, direction };
    const chosen = picturesOf(turn).filter((k) => k < pictures.length);
    if (chosen.length < inTurn - 1) {
      ctx.note(`The recording ends ${Math.round(inTurn - chosen.length)} pictures before the turn is full.`);
    }

    ctx.checkpoint(0.3, 'Finding the line');
    const { color, suppression, lineWidth, threshold } = params;
    const found = await mapTask(
      'find-lines',
      findLinesTask,
      { color, suppression, lineWidth, threshold, acrossRows: true },
      chosen.map((k) => pictures[k]),
      ctx.part(0.3, 0.8),
    );
    const lines = new Map(chosen.map((k, i) => [k, found[i]]));
    const byPicture = pictures.map((_, k) => lines.get(k));
    const widest = params.platform > 0 ? params.platform / 2 : Infinity;
    const scan: Scan = {
      name: params.name || file.name.replace(/\.zip$/i, ''),
      ...scanTurn(byPicture, stand, turn, { lowest: params.lowest, widest }),
    };
    ctx.checkpoint(0.85, 'Working out normals');
    const step = arcStep(scan.cloud.positions, inTurn);
    const { normals } = estimateNormals(
      scan.cloud,
      scan.viewpoints as Vec3[],
      { radius: normalRadius(scan.cloud, step) },
      ctx.part(0.85, 1),
    );
    const measured = pointCount(scan.cloud);
    scan.cloud = thinByVoxel({ ...scan.cloud, normals }, params.spacing || 0.7 * step).cloud;
    const burnt = found.reduce((s, l) => s + l.burnt * l.rows.length, 0) / found.reduce((s, l) => s + l.rows.length, 0);
    return {
      outputs: { scans: [scan] },
      figures: {
        name: scan.name,
        pictures: chosen.length,
        picturesATurn: inTurn,
        counterClockwise: direction === 1,
        measured,
        points: pointCount(scan.cloud),
        spacing: estimateSpacing(scan.cloud),
        pictureStep: step,
        burntRatio: burnt,
      },
    };
  },
  figures: {
    name: { kind: 'text', rank: 'detail', label: 'Name', help: 'What the scan is called.' },
    pictures: { kind: 'count', rank: 'headline', label: 'Pictures', help: 'Pictures that were used.' },
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points after thinning to an even spacing.' },
    picturesATurn: {
      kind: 'number',
      rank: 'detail',
      label: 'Pictures a turn',
      help: 'How many pictures the platform needs to come round.',
    },
    counterClockwise: {
      kind: 'flag',
      rank: 'detail',
      label: 'Turned',
      help: 'Which way the platform turned, seen from above.',
      words: { yes: 'counter-clockwise', no: 'clockwise' },
    },
    spacing: {
      kind: 'length',
      rank: 'detail',
      label: 'Spacing',
      help: 'Distance from a point to the next, in the middle.',
    },
    burntRatio: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Line burnt out',
      help: 'Share of the line that was brighter than the camera can tell. Expose shorter if it is much.',
      limits: { good: 0.01, bad: 0.1 },
    },
    measured: { kind: 'count', rank: 'diagnostic', label: 'Points measured', help: 'Points before thinning.' },
    pictureStep: {
      kind: 'length',
      rank: 'diagnostic',
      label: 'Step between pictures',
      help: 'How far the surface moves on from one picture to the next, where it is farthest out.',
    },
  },
  summarize: (f) => `${f.name}: ${countText(f.pictures)} pictures, ${countText(f.points)} points`,
});
