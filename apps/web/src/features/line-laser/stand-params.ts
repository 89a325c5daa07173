import type { LineLaserSetup } from './line-laser-messages';

/** A setup as the parameters of the operation `capture.line-laser`. */
export function standParams({ lines, fieldOfView, stand, turn, platform, lowest }: LineLaserSetup): object {
  const { color, suppression, lineWidth, threshold } = lines;
  return {
    ...stand,
    fieldOfView,
    first: turn.first,
    count: turn.count,
    turning: turn.direction === 1 ? 'left' : 'right',
    color,
    suppression,
    lineWidth,
    threshold,
    platform,
    lowest,
  };
}
