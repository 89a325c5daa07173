import { nextHalfEdge } from '../mesh/topology.js';
import { MOST_EDGES, type EditableMesh } from './editable-mesh.js';

const fan = new Int32Array(MOST_EDGES);

/**
 * Whether the triangles around a vertex keep facing the same way, and become no slivers, when it goes to another place.
 * @param besides triangles with this corner too are not asked: they go (-1: none)
 * @param leastCosine of the angle that a triangle may turn by
 * @param leastShape that a triangle must keep if it gets thinner: 4 √3 area over the sum of squared sides, 1 for an even one
 */
export function fanHolds(
  mesh: EditableMesh,
  v: number,
  besides: number,
  px: number,
  py: number,
  pz: number,
  leastCosine: number,
  leastShape: number,
): boolean {
  const p = mesh.positions;
  const count = mesh.fan(v, fan);
  const x = p[3 * v];
  const y = p[3 * v + 1];
  const z = p[3 * v + 2];
  for (let i = 0; i < count; i++) {
    const b = mesh.target(fan[i]);
    const c = mesh.target(nextHalfEdge(fan[i]));
    if (b === besides || c === besides) continue;
    const bx = p[3 * b];
    const by = p[3 * b + 1];
    const bz = p[3 * b + 2];
    const ex = p[3 * c] - bx;
    const ey = p[3 * c + 1] - by;
    const ez = p[3 * c + 2] - bz;
    const ux = x - bx;
    const uy = y - by;
    const uz = z - bz;
    const wx = px - bx;
    const wy = py - by;
    const wz = pz - bz;
    const nx = ey * uz - ez * uy;
    const ny = ez * ux - ex * uz;
    const nz = ex * uy - ey * ux;
    const mx = ey * wz - ez * wy;
    const my = ez * wx - ex * wz;
    const mz = ex * wy - ey * wx;
    const n2 = nx * nx + ny * ny + nz * nz;
    const m2 = mx * mx + my * my + mz * mz;
    const dot = nx * mx + ny * my + nz * mz;
    if (!(dot > 0) && n2 > 0) return false;
    if (dot * dot < leastCosine * leastCosine * n2 * m2) return false;
    const e2 = ex * ex + ey * ey + ez * ez;
    const shape = shapeOf(m2, e2, wx, wy, wz, ex, ey, ez);
    if (shape < leastShape && shape < shapeOf(n2, e2, ux, uy, uz, ex, ey, ez)) return false;
  }
  return true;
}

/** 4 √3 area over the sum of squared sides, from the squared doubled area and two sides. */
function shapeOf(
  n2: number,
  e2: number,
  wx: number,
  wy: number,
  wz: number,
  ex: number,
  ey: number,
  ez: number,
): number {
  const w2 = wx * wx + wy * wy + wz * wz;
  const dx = wx - ex;
  const dy = wy - ey;
  const dz = wz - ez;
  return (2 * Math.sqrt(3 * n2)) / (e2 + w2 + dx * dx + dy * dy + dz * dz + 1e-300);
}
