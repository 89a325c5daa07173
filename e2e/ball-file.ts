import { writePly } from '@amber-knit/core/io';

const RADIUS = 30;
const RINGS = 70;
const AROUND = 140;

/**
 * A ball of rings of triangles as a PLY file, mm.
 * @param without so many rings at its top are left out; with none it is closed
 * @param color of a direction from its middle, sRGB
 */
export function ballFile(
  without: number,
  color?: (x: number, y: number, z: number) => readonly [number, number, number],
): Buffer {
  const positions: number[] = [];
  const indices: number[] = [];
  const first = Math.max(1, without);
  for (let i = first; i < RINGS; i++)
    for (let j = 0; j < AROUND; j++) {
      const [theta, phi] = [(Math.PI * i) / RINGS, (2 * Math.PI * (j + i / 2)) / AROUND];
      positions.push(Math.sin(theta) * Math.cos(phi), Math.sin(theta) * Math.sin(phi), Math.cos(theta));
    }
  positions.push(0, 0, -1);
  const bottom = positions.length / 3 - 1;
  const at = (i: number, j: number): number => (i - first) * AROUND + (j % AROUND);
  for (let i = first; i + 1 < RINGS; i++)
    for (let j = 0; j < AROUND; j++)
      indices.push(at(i, j), at(i + 1, j), at(i, j + 1), at(i, j + 1), at(i + 1, j), at(i + 1, j + 1));
  for (let j = 0; j < AROUND; j++) indices.push(bottom, at(RINGS - 1, j + 1), at(RINGS - 1, j));
  if (without === 0) {
    positions.push(0, 0, 1);
    for (let j = 0; j < AROUND; j++) indices.push(bottom + 1, at(first, j), at(first, j + 1));
  }
  const colors =
    color &&
    Uint8Array.from(
      positions.flatMap((_, i) => (i % 3 ? [] : color(positions[i], positions[i + 1], positions[i + 2]))),
    );
  return Buffer.from(
    writePly({
      positions: Float32Array.from(positions, (x) => RADIUS * x),
      indices: Uint32Array.from(indices),
      colors,
    }),
  );
}
