import type { Pick } from './view-content';

/** Measuring a distance: nothing picked, one end picked, both ends picked. */
export type MeasureState =
  { name: 'idle' } | { name: 'started'; from: Pick } | { name: 'measured'; from: Pick; to: Pick; distance: number };

export const MEASURE_IDLE: MeasureState = { name: 'idle' };

/** The state after a pick; a third pick starts anew, `undefined` (Escape) goes back to nothing. */
export function nextMeasureState(state: MeasureState, pick: Pick | undefined): MeasureState {
  if (!pick) return MEASURE_IDLE;
  if (state.name !== 'started') return { name: 'started', from: pick };
  const [a, b] = [state.from.point, pick.point];
  return { name: 'measured', from: state.from, to: pick, distance: Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) };
}

export function pickedPoints(state: MeasureState): [number, number, number][] {
  if (state.name === 'idle') return [];
  return state.name === 'started' ? [state.from.point] : [state.from.point, state.to.point];
}
