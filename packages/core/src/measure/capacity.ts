import { boundsOf } from '../geometry/point-cloud.js';
import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { labelPieces } from '../mesh/topology.js';

/** What a vessel holds. */
export interface Capacity {
  /** Height of the liquid's surface, mm. */
  level: number;
  /** mm³. */
  volume: number;
}

/** Levels are told apart to this share of the height. */
const FINE = 1e-5;

/**
 * What an upright vessel (Z up) holds up to a level, mm³; 0 where nothing is held, as above its lowest rim or spout. The part
 * of the closed surface below the level falls into pieces: one that encloses less than nothing is the inside of a hollow
 * that is open upwards. Hollows that are closed all round hold nothing that could be poured. O(triangles).
 */
export function heldUpTo(mesh: TriangleMesh, level: number): number {
  const below = partBelow(mesh, level);
  if (below.indices.length === 0) return 0;
  const { label, sizes } = labelPieces(below);
  const volume = new Float64Array(sizes.length);
  const open = new Uint8Array(sizes.length);
  const q = below.positions;
  for (let t = 0; t < label.length; t++) {
    const [a, b, c] = [0, 1, 2].map((k) => 3 * below.indices[3 * t + k]);
    // The lid in the plane of the level adds nothing to volumes seen from a place on it.
    const [az, bz, cz] = [q[a + 2] - level, q[b + 2] - level, q[c + 2] - level];
    volume[label[t]] +=
      (q[a] * (q[b + 1] * cz - bz * q[c + 1]) +
        q[a + 1] * (bz * q[c] - q[b] * cz) +
        az * (q[b] * q[c + 1] - q[b + 1] * q[c])) /
      6;
    if (Math.max(az, bz, cz) >= 0) open[label[t]] = 1;
  }
  let held = 0;
  for (let i = 0; i < volume.length; i++) if (open[i] && volume[i] < 0) held -= volume[i];
  return held;
}

/** The most that a vessel holds, and the level where it would run over. O(triangles · log(1 / fineness)). */
export function capacity(mesh: TriangleMesh): Capacity {
  const { min, max } = boundsOf(mesh.positions);
  const [low, high] = [min[2], max[2]];
  const fine = FINE * (high - low);
  // Coarse steps from the top find a level that holds something; between it and the next one lies the lowest rim.
  const steps = 64;
  let holds = NaN;
  for (let i = steps - 1; i > 0 && Number.isNaN(holds); i--) {
    const at = low + (i / steps) * (high - low);
    if (heldUpTo(mesh, at) > 0) holds = at;
  }
  if (Number.isNaN(holds)) return { level: low, volume: 0 };
  let over = holds + (high - low) / steps;
  while (over - holds > fine) {
    const middle = (holds + over) / 2;
    if (heldUpTo(mesh, middle) > 0) holds = middle;
    else over = middle;
  }
  return { level: holds, volume: heldUpTo(mesh, holds) };
}

/** The part of a surface below a level: triangles across it are cut. */
function partBelow(mesh: TriangleMesh, level: number): TriangleMesh {
  const { positions: p, indices } = mesh;
  const n = vertexCount(mesh);
  const cuts = new Map<number, number>();
  const places: number[] = [];
  const out: number[] = [];
  const under = (v: number): boolean => p[3 * v + 2] < level;
  const cut = (a: number, b: number): number => {
    const [i, j] = a < b ? [a, b] : [b, a];
    const key = i * n + j;
    let at = cuts.get(key);
    if (at === undefined) {
      at = n + places.length / 3;
      cuts.set(key, at);
      const s = (level - p[3 * i + 2]) / (p[3 * j + 2] - p[3 * i + 2]);
      places.push(p[3 * i] + s * (p[3 * j] - p[3 * i]), p[3 * i + 1] + s * (p[3 * j + 1] - p[3 * i + 1]), level);
    }
    return at;
  };
  const ring: number[] = [];
  for (let t = 0; t < indices.length; t += 3) {
    ring.length = 0;
    for (let k = 0; k < 3; k++) {
      const [a, b] = [indices[t + k], indices[t + ((k + 1) % 3)]];
      if (under(a)) ring.push(a);
      if (under(a) !== under(b)) ring.push(cut(a, b));
    }
    for (let k = 2; k < ring.length; k++) out.push(ring[0], ring[k - 1], ring[k]);
  }
  const positions = new Float64Array(p.length + places.length);
  positions.set(p);
  positions.set(places, p.length);
  return { positions: positions as unknown as Float32Array, indices: Uint32Array.from(out) };
}
