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

/** Measures of a stand as settings of a capture, so that its recording can be taken up again anywhere. */
export function settingsOf({ fieldOfView, stand, platform, lowest }: LineLaserSetup): Record<string, number> {
  const { distance, height, laserAngle, axisColumn, tilt = 0, roll = 0 } = stand;
  return { fieldOfView, platform, lowest, distance, height, laserAngle, axisColumn, tilt, roll };
}

/** A setup with the measures that a capture was recorded with. */
export function setupFrom(settings: Record<string, number>, otherwise: LineLaserSetup): LineLaserSetup {
  const of = (name: string, or: number): number => (Number.isFinite(settings[name]) ? settings[name] : or);
  const was = settingsOf(otherwise);
  const measures = Object.fromEntries(Object.keys(was).map((name) => [name, of(name, was[name])]));
  const { fieldOfView, platform, lowest, ...stand } = measures as ReturnType<typeof settingsOf>;
  return { ...otherwise, fieldOfView, platform, lowest, stand: { ...otherwise.stand, ...stand } };
}
