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

/** The scanner after a key; undefined for keys that do nothing. */
export function keyed(held: HeldAt, key: string, shift: boolean): HeldAt | undefined {
  const step = shift ? 8 : 3;
  switch (key) {
    case 'ArrowLeft':
      return { ...held, around: held.around - step };
    case 'ArrowRight':
      return { ...held, around: held.around + step };
    case 'ArrowUp':
      return { ...held, up: held.up + step };
    case 'ArrowDown':
      return { ...held, up: held.up - step };
    case '+':
      return approached(held, -1);
    case '-':
      return approached(held, 1);
    default:
      return undefined;
  }
}
