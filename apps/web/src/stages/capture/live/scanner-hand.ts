import type { HeldAt } from '@amber-knit/device-protocol';

/** How a drag on the picture moves the scanner: round the object and up, degrees a pixel. */
const DEGREES_PER_PIXEL = 0.35;

/** The scanner after a drag. Dragging the picture to the left walks round to the right, as if the object were turned. */
export function dragged(held: HeldAt, dx: number, dy: number, aim: boolean): HeldAt {
  if (aim) return { ...held, yaw: held.yaw - 0.1 * dx, pitch: held.pitch + 0.1 * dy };
  return { ...held, around: held.around - DEGREES_PER_PIXEL * dx, up: held.up + DEGREES_PER_PIXEL * dy };
}

/** The scanner after a turn of the wheel; away from the operator comes closer. */
export function approached(held: HeldAt, steps: number): HeldAt {
  return { ...held, distance: held.distance * 1.04 ** steps };
}

/** A place on the picture, pixels. */
export type Place = readonly [x: number, y: number];

/** The scanner after two fingers have moved: spreading them comes closer, shifting both aims. */
export function pinched(held: HeldAt, before: readonly [Place, Place], after: readonly [Place, Place]): HeldAt {
  const apart = ([a, b]: readonly [Place, Place]): number => Math.max(1, Math.hypot(a[0] - b[0], a[1] - b[1]));
  const middle = ([a, b]: readonly [Place, Place], k: 0 | 1): number => (a[k] + b[k]) / 2;
  const closer = { ...held, distance: (held.distance * apart(before)) / apart(after) };
  return dragged(closer, middle(after, 0) - middle(before, 0), middle(after, 1) - middle(before, 1), true);
}

/** The scanner after a key; undefined for keys that do nothing. */
export function keyed(held: HeldAt, key: string, shift: boolean): HeldAt | undefined {
  const step = shift ? 8 : 3;
  switch (key.length === 1 ? key.toLowerCase() : key) {
    case 'ArrowLeft':
      return { ...held, around: held.around - step };
    case 'ArrowRight':
      return { ...held, around: held.around + step };
    case 'ArrowUp':
      return { ...held, up: held.up + step };
    case 'ArrowDown':
      return { ...held, up: held.up - step };
    case 'a':
      return { ...held, yaw: held.yaw + step / 3 };
    case 'd':
      return { ...held, yaw: held.yaw - step / 3 };
    case 'w':
      return { ...held, pitch: held.pitch + step / 3 };
    case 's':
      return { ...held, pitch: held.pitch - step / 3 };
    case '+':
      return approached(held, -1);
    case '-':
      return approached(held, 1);
    default:
      return undefined;
  }
}
