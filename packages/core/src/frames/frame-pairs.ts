import type { Mat4, Vec3 } from '../math/mat4.js';

/** Frames that look along directions farther apart than this see different sides, radians. */
const WIDEST = 0.9;

/**
 * Pairs of frames worth comparing, the smaller number first: the next two frames, and others that look at the same place
 * from about the same side, evenly chosen. O(frames²).
 * @param middles what each frame sees, at its middle, in the scan's frame
 */
export function pairsOf(poses: readonly Mat4[], middles: readonly Vec3[], neighbours: number): [number, number][] {
  const n = poses.length;
  const distance = medianOf(
    middles.map((m, i) => Math.hypot(m[0] - poses[i][12], m[1] - poses[i][13], m[2] - poses[i][14])),
  );
  const out = new Map<number, [number, number]>();
  const add = (a: number, b: number): void =>
    void out.set(Math.min(a, b) * n + Math.max(a, b), [Math.min(a, b), Math.max(a, b)]);
  for (let i = 0; i < n; i++) {
    for (const j of [i + 1, i + 2]) if (j < n) add(i, j);
    const alike: number[] = [];
    for (let j = 0; j < n; j++) {
      if (Math.abs(i - j) < 3) continue;
      const cos = poses[i][8] * poses[j][8] + poses[i][9] * poses[j][9] + poses[i][10] * poses[j][10];
      const [p, q] = [middles[i], middles[j]];
      const apart = Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]);
      if (cos > Math.cos(WIDEST) && apart < 0.5 * distance) alike.push(j);
    }
    const step = Math.max(1, alike.length / Math.max(1, neighbours - 4));
    for (let k = 0; k < alike.length; k += step) add(i, alike[Math.floor(k)]);
  }
  return [...out.values()];
}

/** The middle one of some numbers, which are sorted in place; 0 of none. */
export function medianOf(values: number[]): number {
  return values.sort((a, b) => a - b)[values.length >> 1] ?? 0;
}
