import { writePly } from '../packages/core/dist/io/index.js';

/** A bumpy half ball seen from the origin, as a PLY; another side of it with each further turn. */
export function halfBall(points, turn) {
  const positions = new Float32Array(3 * points);
  for (let i = 0; i < points; i++) {
    const z = -(i + 0.5) / points;
    const phi = i * Math.PI * (3 - Math.sqrt(5)) + turn * 0.4;
    const r = Math.sqrt(1 - z * z) * 40 * (1 + 0.1 * Math.sin(3 * phi) + 0.05 * z);
    positions.set([r * Math.cos(phi - turn * 0.4), r * Math.sin(phi - turn * 0.4), 300 + 40 * z], 3 * i);
  }
  return writePly({ positions });
}
