import type { TriangleMesh } from '@amber-knit/core/geometry';

/** Steps along a triangle's edge between places that have a colour of their own. */
const STEPS = 4;
/** Places in a triangle: a row for each step, one shorter than the one before. */
const PLACES = ((STEPS + 1) * (STEPS + 2)) / 2;
const FIRST_OF_ROW = Int32Array.from({ length: STEPS + 1 }, (_, row) => row * (STEPS + 1) - (row * (row - 1)) / 2);
const UNKNOWN = 0xffffffff;

export type Paint = (x: number, y: number, z: number) => readonly [number, number, number];

/**
 * A paint that is asked only once for each of a few places in every triangle of a mesh, when one near it is first seen:
 * a place costs a look into a table instead of a formula. The answer is overwritten by the next one.
 * @returns colour (sRGB) of triangle `t` at a point in the mesh's own frame
 */
export function paintedTriangles(
  { positions: p, indices }: TriangleMesh,
  paint: Paint,
): (x: number, y: number, z: number, t: number) => [number, number, number] {
  const triangles = indices.length / 3;
  const colors = new Uint32Array(PLACES * triangles).fill(UNKNOWN);
  // Per triangle: gradients of both barycentric coordinates.
  const gradients = new Float32Array(6 * triangles);
  for (let t = 0; t < triangles; t++) writeGradients(p, indices, t, gradients);
  const out: [number, number, number] = [0, 0, 0];
  return (x, y, z, t) => {
    const a = 3 * indices[3 * t];
    const dx = x - p[a];
    const dy = y - p[a + 1];
    const dz = z - p[a + 2];
    const g = 6 * t;
    const u = gradients[g] * dx + gradients[g + 1] * dy + gradients[g + 2] * dz;
    const v = gradients[g + 3] * dx + gradients[g + 4] * dy + gradients[g + 5] * dz;
    const row = u < 0 ? 0 : u > 1 ? STEPS : (STEPS * u + 0.5) | 0;
    const most = STEPS - row;
    const step = v < 0 ? 0 : (STEPS * v + 0.5) | 0;
    const column = step > most ? most : step;
    const at = PLACES * t + FIRST_OF_ROW[row] + column;
    let c = colors[at];
    if (c === UNKNOWN) {
      const b = 3 * indices[3 * t + 1];
      const e = 3 * indices[3 * t + 2];
      const [ub, vb] = [row / STEPS, column / STEPS];
      const mix = (k: number): number => p[a + k] + ub * (p[b + k] - p[a + k]) + vb * (p[e + k] - p[a + k]);
      colors[at] = c = packed(paint(mix(0), mix(1), mix(2)));
    }
    out[0] = c >>> 16;
    out[1] = (c >>> 8) & 255;
    out[2] = c & 255;
    return out;
  };
}

/** A triangle's barycentric coordinates change by so much per mm; nothing for a triangle without area. */
function writeGradients(p: Float32Array, indices: ArrayLike<number>, t: number, out: Float32Array): void {
  const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
  let bb = 0;
  let cc = 0;
  let bc = 0;
  for (let k = 0; k < 3; k++) {
    const eb = p[b + k] - p[a + k];
    const ec = p[c + k] - p[a + k];
    bb += eb * eb;
    cc += ec * ec;
    bc += eb * ec;
  }
  const area = bb * cc - bc * bc;
  if (!(area > 0)) return;
  for (let k = 0; k < 3; k++) {
    const eb = p[b + k] - p[a + k];
    const ec = p[c + k] - p[a + k];
    out[6 * t + k] = (cc * eb - bc * ec) / area;
    out[6 * t + 3 + k] = (bb * ec - bc * eb) / area;
  }
}

function packed(c: readonly [number, number, number]): number {
  const byte = (v: number): number => Math.max(0, Math.min(255, Math.round(v)));
  return (byte(c[0]) << 16) | (byte(c[1]) << 8) | byte(c[2]);
}
