/** Where the parabola through points (least squares, offsets symmetrical about 0) is highest; within the offsets. */
export function vertexOf(points: readonly (readonly [number, number])[]): number {
  const most = Math.max(...points.map(([t]) => t));
  const sum = (f: (t: number, v: number) => number): number => points.reduce((s, [t, v]) => s + f(t, v), 0);
  const s2 = sum((t) => t * t);
  const s4 = sum((t) => t ** 4);
  const n = points.length;
  const slope = sum((t, v) => t * v) / s2;
  const bend = (sum((t, v) => t * t * v) - (s2 * sum((_, v) => v)) / n) / (s4 - (s2 * s2) / n);
  return bend < 0 ? Math.max(-most, Math.min(most, -slope / (2 * bend))) : 0;
}
