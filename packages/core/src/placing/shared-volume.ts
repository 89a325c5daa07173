import { transformPoint, type Mat4 } from '../math/mat4.js';
import type { Solid } from './solid.js';

/**
 * Volume that lies within both, mm³, over a box that holds it all: parted into eight as long as a border may pass through,
 * down to cells of `cell`; what a border leaves of those follows from how far it lies off their middle. O(cells at a border)
 * @param pieceFromScene how the surroundings lie in the frame of the piece
 * @param behind see `deepestPlace`; of the surroundings
 * @param box least and greatest coordinates in the frame of the surroundings
 * @param most places asked at most: cells become larger until that is enough
 */
export function sharedVolume(
  piece: Solid,
  scene: Solid,
  pieceFromScene: Mat4,
  behind: number,
  box: ArrayLike<number>,
  most: number,
): number {
  const size = Math.max(box[3] - box[0], box[4] - box[1], box[5] - box[2]);
  if (!(size > 0)) return 0;
  const middle = [0, 1, 2].map((k) => (box[k] + box[k + 3]) / 2);
  // Level by level, so that the last one that can be paid for is whole.
  let volume = 0;
  let cells: number[] = [...middle];
  let half = size / 2;
  let left = most;
  for (;;) {
    const next: number[] = [];
    const last = 8 * cells.length * 0.34 > left || half < size / 400;
    for (let i = 0; i < cells.length; i += 3) {
      const [x, y, z] = [cells[i], cells[i + 1], cells[i + 2]];
      const radius = Math.sqrt(3) * half;
      const s = scene.signed(x, y, z);
      left--;
      if (s >= radius || s + radius <= -behind) continue;
      const p = piece.signed(...transformPoint(pieceFromScene, x, y, z));
      left--;
      if (p >= radius) continue;
      const cell = 8 * half ** 3;
      if (s <= -radius && p <= -radius && s - radius >= -behind) volume += cell;
      else if (last) volume += cell * share(s, half) * share(p, half) * (s < -behind ? 0 : 1);
      else
        for (let c = 0; c < 8; c++)
          next.push(x + (c & 1 ? half : -half) / 2, y + (c & 2 ? half : -half) / 2, z + (c & 4 ? half : -half) / 2);
    }
    if (last || next.length === 0) return volume;
    cells = next;
    half /= 2;
  }
}

/** What a flat border at a signed distance from a cell's middle leaves of it, about. */
const share = (d: number, half: number): number => Math.min(1, Math.max(0, 0.5 - d / (2 * half)));
