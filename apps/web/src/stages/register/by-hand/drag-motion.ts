import { fromAxisAngle, fromTranslation, multiply, type Mat4, type Vec3 } from '@amber-knit/core/math';
import type { Grip } from '../../../app/by-hand-slice';
import type { ViewAxes } from '../../../view/view-content';

/** Turn of a drag, radians a pixel. */
const TURN = 0.008;

/** The motion, in the view's frame, of dragging an object whose middle is there by so many pixels (down counts up). */
export function dragMotion(grip: Grip, dx: number, dy: number, axes: ViewAxes, middle: Vec3): Mat4 {
  const { right, up, toEye, mmPerPixel } = axes;
  if (grip === 'move') {
    const along = (k: number): number => mmPerPixel * (dx * right[k] - dy * up[k]);
    return fromTranslation(along(0), along(1), along(2));
  }
  const turn =
    grip === 'roll'
      ? fromAxisAngle(toEye, -TURN * dx)
      : multiply(fromAxisAngle(up, TURN * dx), fromAxisAngle(right, TURN * dy));
  return multiply(multiply(fromTranslation(...middle), turn), fromTranslation(-middle[0], -middle[1], -middle[2]));
}

/** Pixels that a key drags by. */
const STEP = 6;

/** The drag of an arrow key; undefined for other keys. */
export function keyDrag(key: string): [dx: number, dy: number] | undefined {
  return { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, -STEP], ArrowDown: [0, STEP] }[key] as
    [number, number] | undefined;
}
