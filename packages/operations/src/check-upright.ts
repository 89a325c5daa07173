import type { TrustSheet } from '@amber-knit/core/fusion';
import type { Dimension, DimensionDirection, DimensionSheet, MeasuredDimension } from '@amber-knit/core/dimensions';
import type { PlacingSheet } from '@amber-knit/core/placing';
import { boundsOf, type BakedMap, type LightModel, type Placement, type TriangleMesh } from '@amber-knit/core/geometry';
import type { Mat4, Vec3 } from '@amber-knit/core/math';
import type { Origin } from '@amber-knit/core/measure';
import { GeometryError } from '@amber-knit/core/runtime';
import type { DeviationMap } from '@amber-knit/core/stored';
import { defineOperation, type WorkData } from './operation.js';
import { OPERATION_IDS } from './operation-ids.js';
import { ChoiceParam, DimensionParam, FlagParam, RatioParam, TextParam } from './params.js';
import { areaText, lengthText } from './quantity-text.js';

/** What points along X must lie level at least so far: the sine of the angle to the vertical. */
const LEAST_LEVEL = 0.05;

export class CheckUprightParams {
  @ChoiceParam({
    title: 'Up',
    help: 'On its broadest base: the flat side on which most of it rests. Along its axis: that about which most of it was turned, as a jug on its wheel, handles left out. Along a direction: that of an axis or a normal, such as one of a fitted shape. By what was measured: the axis of a fitted shape, across a plane or three picked places, or from one picked place to another. By angles: turned by hand.',
    choices: {
      base: 'On its broadest base',
      axis: 'Along its axis',
      direction: 'Along a direction',
      measured: 'By what was measured',
      angles: 'By angles',
      keep: 'As it is',
    },
  })
  up: 'base' | 'axis' | 'direction' | 'measured' | 'angles' | 'keep' = 'base';

  @TextParam({
    title: 'Direction',
    help: 'Three numbers in the piece as it lies now, such as 0, 1, 0: what is to point up.',
    whenEmpty: 'none',
  })
  direction = '';

  @DimensionParam({
    title: 'Measured',
    help: 'What points up, of the dimensions that were picked: a distance points from its first place to its second; of an axis or a plane the end that is higher now stays up.',
    whenEmpty: 'none',
  })
  measured = '';

  @DimensionParam({
    title: 'Along X',
    help: 'What points along X afterwards, of the dimensions that were picked, as far as it lies level.',
    whenEmpty: 'none',
    more: true,
  })
  alongX = '';

  @RatioParam({
    title: 'Turn about X',
    help: 'Counter-clockwise seen from the tip of the axis.',
    unit: '°',
    min: -360,
    max: 360,
    more: true,
  })
  turnX = 0;

  @RatioParam({ title: 'Turn about Y', help: 'After the turn about X.', unit: '°', min: -360, max: 360, more: true })
  turnY = 0;

  @RatioParam({
    title: 'Turn about Z',
    help: 'Last of all; also turns the front of an upright piece.',
    unit: '°',
    min: -360,
    max: 360,
    more: true,
  })
  turnZ = 0;

  @FlagParam({ title: 'On the ground', help: 'Its lowest place gets the height 0.' })
  ground = true;

  @ChoiceParam({
    title: 'Origin',
    help: 'Where the coordinates begin.',
    choices: { base: 'In the middle of its base', middle: 'In the middle of its box', keep: 'Where it is' },
  })
  origin: Origin = 'base';
}

/** The piece stays where it was put in its surroundings, whatever its own frame is now. */
async function placingsMoved(sheet: PlacingSheet, motion: Mat4): Promise<PlacingSheet> {
  const { invertRigid, multiply } = await import('@amber-knit/core/math');
  const moved = (m: readonly number[]): number[] => Array.from(multiply(Float64Array.from(m), invertRigid(motion)));
  return {
    ...sheet,
    asked: sheet.asked.map((p) => ({ ...p, sceneFromPiece: moved(p.sceneFromPiece) })),
    ways: sheet.ways.map((w) => ({ ...w, sceneFromPiece: moved(w.sceneFromPiece) })),
  };
}

/** Gives the piece its up, ground and origin: surface, scans, dimensions and comparison move as one. */
export const checkUpright = defineOperation({
  id: OPERATION_IDS.checkUpright,
  version: 3,
  stage: 'check',
  title: 'Set upright',
  help: 'Turns the piece upright, puts it on the ground and gives it its origin. Scans, dimensions and files that are written follow; nothing is measured anew.',
  words: 'z up y up axis orient orientation rotate origin zero coordinate system coordinates',
  movesNothing: true,
  needs: ['mesh'],
  uses: ['placements', 'model', 'light', 'dimensions', 'trust', 'deviation', 'placings'],
  gives: ['mesh', 'placements', 'model', 'light', 'dimensions', 'trust', 'deviation', 'placings'],
  params: CheckUprightParams,
  suggest: () => ({}),
  async run({ mesh, placements, model, light, dimensions, trust, deviation, placings }, params, ctx) {
    const { fromAxisAngle, identity, multiply, rotateVector, rotationAngle } = await import('@amber-knit/core/math');
    const { restingPlanes, revolutionAxis, turnUp, uprightMotion } = await import('@amber-knit/core/measure');
    let turn: Mat4 = identity();
    let rests = NaN;
    let aboutAxis = NaN;
    if (params.up === 'base') {
      const [widest] = restingPlanes(mesh);
      if (!widest)
        throw new GeometryError(
          'degenerate',
          'The piece has no flat base. Give a direction, such as the axis of a fitted shape.',
        );
      turn = turnUp(widest.up);
      rests = widest.area;
    } else if (params.up === 'axis') {
      const axis = revolutionAxis(mesh);
      if (!axis)
        throw new GeometryError(
          'degenerate',
          'There is no single axis about which most of it was turned. Set it on its base, or give a direction.',
        );
      // Of its two ends the one that is higher now stays up.
      turn = turnUp(axis.direction[2] < 0 ? (axis.direction.map((c) => -c) as Vec3) : axis.direction);
      aboutAxis = axis.share;
    } else if (params.up === 'direction') turn = turnUp(directionOf(params.direction));
    else if (params.up === 'measured') {
      const { direction, fromTo } = await measuredDirection(dimensions, params.measured);
      turn = turnUp(!fromTo && direction[2] < 0 ? (direction.map((c) => -c) as Vec3) : direction);
    }
    ctx.checkpoint(0.5);
    const degrees = Math.PI / 180;
    if (params.up === 'angles') {
      const about = (axis: Vec3, angle: number): Mat4 => fromAxisAngle(axis, angle * degrees);
      turn = multiply(about([0, 1, 0], params.turnY), about([1, 0, 0], params.turnX));
    }
    if (params.alongX) {
      const { direction } = await measuredDirection(dimensions, params.alongX);
      const [x, y] = rotateVector(turn, ...direction);
      if (Math.hypot(x, y) < LEAST_LEVEL)
        throw new GeometryError(
          'degenerate',
          `“${params.alongX}” points up: nothing of it is left to lie along X. Take another for one of the two.`,
        );
      turn = multiply(fromAxisAngle([0, 0, 1], -Math.atan2(y, x)), turn);
    }
    turn = multiply(fromAxisAngle([0, 0, 1], params.turnZ * degrees), turn);
    const motion = uprightMotion(mesh.positions, turn, params.ground, params.origin);
    const outputs: Partial<WorkData> = {
      mesh: await moved(mesh, motion),
      ...(placements ? { placements: await placementsMoved(placements, motion) } : {}),
      ...(model ? { model: await moved(model, motion) } : {}),
      ...(light ? { light: await lightMoved(light, motion) } : {}),
      ...(dimensions ? { dimensions: await sheetMoved(dimensions, motion) } : {}),
      ...(trust ? { trust: await trustMoved(trust, motion) } : {}),
      ...(deviation ? { deviation: await deviationMoved(deviation, motion) } : {}),
      ...(placings ? { placings: await placingsMoved(placings, motion) } : {}),
    };
    const b = boundsOf(outputs.mesh!.positions);
    return {
      // What was not there is not given.
      outputs: outputs as WorkData,
      figures: {
        width: b.max[0] - b.min[0],
        depth: b.max[1] - b.min[1],
        height: b.max[2] - b.min[2],
        turned: rotationAngle(motion),
        shifted: Math.hypot(motion[12], motion[13], motion[14]),
        ...(rests > 0 ? { rests } : {}),
        ...(aboutAxis > 0 ? { aboutAxis } : {}),
      },
    };
  },
  figures: {
    height: { kind: 'length', rank: 'headline', label: 'Height', help: 'Along Z, which is up now.' },
    width: { kind: 'length', rank: 'headline', label: 'Width', help: 'Along X.' },
    depth: { kind: 'length', rank: 'headline', label: 'Depth', help: 'Along Y.' },
    turned: { kind: 'angle', rank: 'detail', label: 'Turned by', help: 'From how it lay before.' },
    shifted: { kind: 'length', rank: 'detail', label: 'Origin moved by', help: 'After the turn.' },
    rests: { kind: 'area', rank: 'detail', label: 'Rests on', help: 'Surface that touches the ground.' },
    aboutAxis: {
      kind: 'ratio',
      rank: 'detail',
      label: 'Turned about its axis',
      help: 'Share of the surface whose normals meet the axis: what was turned about it.',
    },
  },
  summarize: (f) => `Upright: ${lengthText(f.height)} high${f.rests ? `, resting on ${areaText(f.rests)}` : ''}`,
  cell: (f) => ({ figure: `${lengthText(f.height)} high`, detail: 'upright' }),
});

/** @throws GeometryError `invalid-parameter` */
function directionOf(text: string): Vec3 {
  const d = text.split(',').map((part) => (part.trim() === '' ? NaN : Number(part)));
  if (d.length !== 3 || d.some((c) => !Number.isFinite(c)) || d.every((c) => c === 0))
    throw new GeometryError('invalid-parameter', `"${text}" is no direction: give three numbers, such as 0, 1, 0.`);
  return d as Vec3;
}

/** @throws GeometryError `invalid-parameter` if nothing goes by that name; `degenerate` if it has no direction */
async function measuredDirection(sheet: DimensionSheet | undefined, name: string): Promise<DimensionDirection> {
  const { directionOfDimension } = await import('@amber-knit/core/dimensions');
  const at = sheet?.asked.findIndex((d) => d.name === name) ?? -1;
  if (!sheet || at < 0)
    throw new GeometryError(
      'invalid-parameter',
      name ? `Nothing that was measured is called “${name}”.` : 'Say by which of the dimensions, or pick one first.',
    );
  const found = directionOfDimension(sheet.asked[at], sheet.found[at]);
  if (!found)
    throw new GeometryError(
      'degenerate',
      `“${name}” has no direction. Take a distance, an angle, a section, or a fitted shape with an axis.`,
    );
  return found;
}

async function moved<M extends TriangleMesh>(mesh: M, motion: Mat4): Promise<M> {
  const { rotateVectors, transformPoints } = await import('@amber-knit/core/math');
  return {
    ...mesh,
    positions: transformPoints(motion, mesh.positions),
    ...(mesh.normals ? { normals: rotateVectors(motion, mesh.normals) } : {}),
  };
}

/** A light model with what its maps and its list say in the frame of the piece. */
async function lightMoved(light: LightModel, motion: Mat4): Promise<LightModel> {
  const { rotateVector, transformPoint } = await import('@amber-knit/core/math');
  const cornerTangents = light.cornerTangents.slice();
  for (let at = 0; at < cornerTangents.length; at += 4)
    cornerTangents.set(rotateVector(motion, ...triple(cornerTangents, at)), at);
  const turned = (data: BakedMap['data']): BakedMap['data'] => {
    const out = data.slice();
    for (let at = 0; at < out.length; at += 3) {
      const [x, y, z] = triple(data, at).map((byte) => byte / 127.5 - 1);
      out.set(
        rotateVector(motion, x, y, z).map((c) => Math.round(127.5 + 127.5 * Math.max(-1, Math.min(1, c)))),
        at,
      );
    }
    return out;
  };
  return {
    ...(await moved(light, motion)),
    cornerTangents,
    maps: light.maps.map((m) => (m.kind === 'object-normal' ? { ...m, data: turned(m.data) } : m)),
    failed: light.failed.map((f) => ({ ...f, place: transformPoint(motion, ...f.place) })),
  };
}

const triple = (list: ArrayLike<number>, at: number): Vec3 => [list[at], list[at + 1], list[at + 2]];

/** Scans where they now lie; places that rival theirs move along. */
async function placementsMoved(placements: Placement[], motion: Mat4): Promise<Placement[]> {
  const { invertRigid, multiply } = await import('@amber-knit/core/math');
  const back = invertRigid(motion);
  const doubts = new Map(
    placements.flatMap(({ doubt }) =>
      doubt
        ? [
            [
              doubt,
              {
                ...doubt,
                rivals: doubt.rivals.map((r) => ({
                  ...r,
                  pieceFromPiece: multiply(motion, multiply(r.pieceFromPiece, back)),
                })),
              },
            ] as const,
          ]
        : [],
    ),
  );
  return placements.map((p) => ({
    ...p,
    pieceFromScan: multiply(motion, p.pieceFromScan),
    ...(p.doubt ? { doubt: doubts.get(p.doubt)! } : {}),
  }));
}

async function sheetMoved({ asked, found }: DimensionSheet, motion: Mat4): Promise<DimensionSheet> {
  const { rotateVector, transformPoint } = await import('@amber-knit/core/math');
  const at = (p: Vec3): Vec3 => transformPoint(motion, ...p);
  const line = (flat: number[]): number[] =>
    flat.flatMap((_, i) => (i % 3 === 0 ? at([flat[i], flat[i + 1], flat[i + 2]]) : []));
  return {
    asked: asked.map((d): Dimension => ({
      ...d,
      places: d.places.map(at),
      ...(d.direction ? { direction: rotateVector(motion, ...d.direction) } : {}),
      // A level is a height: with the ground it moves.
      ...(d.level === undefined ? {} : { level: d.level + motion[14] }),
    })),
    found: found.map((f): MeasuredDimension => ({
      ...f,
      places: f.places.map(at),
      lines: f.lines.map(line),
      label: at(f.label),
      ...(f.axes ? { axes: f.axes.map((a) => rotateVector(motion, ...a)) } : {}),
    })),
  };
}

async function trustMoved({ regions }: TrustSheet, motion: Mat4): Promise<TrustSheet> {
  const { transformPoint } = await import('@amber-knit/core/math');
  return {
    regions: regions.map((r) => ({
      ...r,
      balls: r.balls.map(([x, y, z, radius]) => [...transformPoint(motion, x, y, z), radius]),
    })),
  };
}

async function deviationMoved(map: DeviationMap, motion: Mat4): Promise<DeviationMap> {
  const { invertRigid, multiply, transformPoint } = await import('@amber-knit/core/math');
  return {
    ...map,
    referenceFromPiece: Array.from(multiply(Float64Array.from(map.referenceFromPiece), invertRigid(motion))),
    worst: map.worst.map((w) => ({ ...w, place: transformPoint(motion, ...w.place) })),
  };
}
