import { changedFrame, type DepthFrame } from '../geometry/depth-frame.js';
import { identity } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { alignStops } from './align-stops.js';
import { withoutEmpty } from './empty-support.js';
import { turnedBack, type TurntableAxis } from './turntable-axis.js';

/** Why a turntable took a frame: for the shape, for the colour, or of the support with nothing on it. */
export type StopPass = 'shape' | 'colour' | 'empty';

/** What lies so near before the empty support belongs to it, mm. */
const CLEARANCE = 0.8;
/** Fewer stops than this show no axis. */
const LEAST = 3;
const MARK = /^(shape|colour|empty) at (\d+(?:\.\d+)?)°$/;

/** The name under which a frame of a turntable is kept until its place is known. */
export const stopMark = (pass: StopPass, angle: number): string => `${pass} at ${Math.round(100 * angle) / 100}°`;

/** What a frame's name tells of its stop, if anything. */
export function readStopMark(name: string): { pass: StopPass; angle: number } | undefined {
  const m = MARK.exec(name);
  return m ? { pass: m[1] as StopPass, angle: Number(m[2]) } : undefined;
}

/** A frame as a turntable keeps it: marked, its place not yet known. */
export const markedFrame = (frame: Omit<DepthFrame, 'scanFromSensor'>, pass: StopPass, angle: number): DepthFrame => ({
  ...frame,
  name: stopMark(pass, angle),
  scanFromSensor: identity(),
});

/**
 * Puts the marked frames of a turntable run in their places: the axis from the stops of the shape, those of the colour
 * turned by it, the empty support taken out of all. Frames without marks come back as they are.
 * @throws GeometryError `empty-input` with too few stops; see `alignStops`
 */
export function placeMarkedFrames(
  frames: readonly DepthFrame[],
  ctx: RunContext,
): { frames: DepthFrame[]; axis?: TurntableAxis } {
  const marked = frames.map((frame) => ({ frame, mark: readStopMark(frame.name) }));
  if (!marked.some((m) => m.mark)) return { frames: [...frames] };
  const of = (pass: StopPass): { frame: DepthFrame; angle: number }[] =>
    marked.flatMap(({ frame, mark }) => (mark?.pass === pass ? [{ frame, angle: mark.angle }] : []));
  const shape = of('shape');
  if (shape.length < LEAST) {
    throw new GeometryError(
      'empty-input',
      `Only ${shape.length} stops of the turntable were taken; ${LEAST} are needed. Resume the capture, or discard it.`,
    );
  }
  const { axis, frames: aligned } = alignStops(
    shape.map((s) => s.frame),
    shape.map((s) => s.angle),
    ctx,
  );
  const colored = of('colour').map(({ frame, angle }) =>
    changedFrame(frame, { scanFromSensor: turnedBack(axis, angle) }),
  );
  const empty = of('empty')[0]?.frame.depth;
  const placed = [...aligned, ...colored];
  return {
    axis,
    frames: empty ? placed.map((f) => changedFrame(f, { depth: withoutEmpty(f.depth, empty, CLEARANCE) })) : placed,
  };
}
