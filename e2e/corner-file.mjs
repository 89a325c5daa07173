import { wheelhouseCorner } from '../demo/dist/index.js';
import { writePly } from '../packages/core/dist/io/index.js';

/** Edges are no longer than this, so that colours at the vertices show the boards, mm. */
const EDGE = 22;

/** What a person in the room does not see: the outsides of walls and floor. */
const isOutside = ([x, y, z]) => x < -700.5 || y < -700.5 || z < -0.5;

/** The wheelhouse corner as it is seen from inside, a coloured surface: a PLY file, mm. */
export function cornerFile() {
  const { scene } = wheelhouseCorner();
  const { positions: p, indices } = scene.mesh;
  const [positions, colors, faces] = [[], [], []];
  const add = (corners, triangle) => {
    const sides = [0, 1, 2].map((k) => Math.hypot(...[0, 1, 2].map((c) => corners[k][c] - corners[(k + 1) % 3][c])));
    const k = sides.indexOf(Math.max(...sides));
    if (sides[k] > EDGE) {
      const [a, b, c] = [corners[k], corners[(k + 1) % 3], corners[(k + 2) % 3]];
      const m = a.map((v, i) => (v + b[i]) / 2);
      add([a, m, c], triangle);
      add([m, b, c], triangle);
      return;
    }
    for (const corner of corners) {
      faces.push(positions.length / 3);
      positions.push(...corner);
      colors.push(...scene.color(...corner, triangle));
    }
  };
  for (let t = 0; t < indices.length; t += 3) {
    const corners = [0, 1, 2].map((k) => [...p.subarray(3 * indices[t + k], 3 * indices[t + k] + 3)]);
    if (!corners.some(isOutside)) add(corners, t / 3);
  }
  const ply = writePly({
    positions: Float32Array.from(positions),
    colors: Uint8Array.from(colors),
    indices: Uint32Array.from(faces),
  });
  return { name: 'wheelhouse corner.ply', mimeType: 'application/octet-stream', buffer: Buffer.from(ply) };
}
