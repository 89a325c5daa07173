import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { GrowingArray } from '../runtime/growing-array.js';
import type { RunContext } from '../runtime/run-context.js';
import { EDGE_CORNERS, TRIANGLE_TABLE } from './marching-cubes-table.js';
import { BLOCK, BLOCK_VOXELS, type SignedField } from './signed-field.js';

const SIDE = BLOCK + 1;
/** A vertex keeps this share of an edge from its ends. */
const CLOSEST = 0.002;

/**
 * Extracts the zero surface of a field; cells with a corner lighter than `minWeight` give no surface, so unseen places
 * stay open; where the triangles of each cell begin is added to `cellStarts`. Vertices are shared; those on block borders too. Colours and scan counts come with them where present;
 * vertices that no scan counted are marked invented.
 * O(voxels).
 * Source: W. Lorensen, H. Cline (1987), Marching cubes: a high resolution 3D surface construction algorithm.
 */
export function marchingCubes(
  field: SignedField,
  minWeight: number,
  ctx: RunContext,
  cellStarts?: GrowingArray<Uint32Array>,
): TriangleMesh {
  const blocks = field.blockCount;
  const positions = new GrowingArray(Float32Array);
  const colors = new GrowingArray(Uint8Array);
  const scanCount = new GrowingArray(Uint8Array);
  const invented = new GrowingArray(Uint8Array);
  const indices = new GrowingArray(Uint32Array);
  // Vertex number on the three edges that start at each voxel.
  const vertexOf = new Int32Array(3 * BLOCK_VOXELS * blocks).fill(-1);

  const value = new Float32Array(SIDE ** 3);
  const valid = new Uint8Array(SIDE ** 3);
  const source = new Int32Array(SIDE ** 3);
  const neighbours = new Int32Array(8);
  const { distance, weight, coords, table, voxel, scanWords } = field;
  let hasColor = false;
  let hasScans = false;
  let hasInvented = false;

  const addAttributes = (va: number, vb: number, t: number): void => {
    const wa = field.colorWeight[va] * (1 - t);
    const wb = field.colorWeight[vb] * t;
    const w = wa + wb;
    if (w > 0) hasColor = true;
    for (let k = 0; k < 3; k++) {
      const mixed =
        w > 0
          ? ((wa > 0 ? (field.color[3 * va + k] / field.colorWeight[va]) * wa : 0) +
              (wb > 0 ? (field.color[3 * vb + k] / field.colorWeight[vb]) * wb : 0)) /
            w
          : 128;
      colors.push(Math.max(0, Math.min(255, Math.round(mixed))));
    }
    let scans = 0;
    for (let k = 0; k < scanWords; k++)
      scans += bitCount(field.scans[va * scanWords + k] | field.scans[vb * scanWords + k]);
    scanCount.push(Math.min(255, scans));
    // Between data that disagree, or beyond their rim, a surface may come out that no scan has measured.
    invented.push(scans === 0 ? 1 : 0);
    if (scans === 0) hasInvented = true;
    else hasScans = true;
  };

  const vertexOn = (cx: number, cy: number, cz: number, edge: number, bx: number, by: number, bz: number): number => {
    const axis = edge >> 2;
    const c = EDGE_CORNERS[edge][0];
    const x = cx + (c & 1);
    const y = cy + ((c >> 1) & 1);
    const z = cz + (c >> 2);
    const a = x + SIDE * (y + SIDE * z);
    const b = a + (axis === 0 ? 1 : axis === 1 ? SIDE : SIDE * SIDE);
    const va = source[a];
    const known = vertexOf[3 * va + axis];
    if (known >= 0) return known;
    // At a voxel itself the vertices of all its edges would fall on one spot.
    const t = Math.max(CLOSEST, Math.min(1 - CLOSEST, value[a] / (value[a] - value[b])));
    const id = positions.length / 3;
    vertexOf[3 * va + axis] = id;
    positions.push((bx * BLOCK + x + (axis === 0 ? t : 0)) * voxel);
    positions.push((by * BLOCK + y + (axis === 1 ? t : 0)) * voxel);
    positions.push((bz * BLOCK + z + (axis === 2 ? t : 0)) * voxel);
    if (scanWords > 0) addAttributes(va, source[b], t);
    return id;
  };

  for (let s = 0; s < blocks; s++) {
    if ((s & 63) === 0) ctx.checkpoint(s / blocks);
    const bx = coords[3 * s];
    const by = coords[3 * s + 1];
    const bz = coords[3 * s + 2];
    for (let k = 0; k < 8; k++) {
      neighbours[k] = k === 0 ? s : table.find(bx + (k & 1), by + ((k >> 1) & 1), bz + (k >> 2));
    }
    let negative = false;
    let positive = false;
    for (let z = 0; z < SIDE; z++) {
      for (let y = 0; y < SIDE; y++) {
        for (let x = 0; x < SIDE; x++) {
          const at = x + SIDE * (y + SIDE * z);
          const n = neighbours[(x >> 3) | ((y >> 3) << 1) | ((z >> 3) << 2)];
          if (n < 0) {
            valid[at] = 0;
            continue;
          }
          const v = n * BLOCK_VOXELS + (x & 7) + 8 * ((y & 7) + 8 * (z & 7));
          source[at] = v;
          if (weight[v] < minWeight) {
            valid[at] = 0;
            continue;
          }
          valid[at] = 1;
          // Exactly zero would put vertices of different edges on one spot.
          const d = distance[v];
          value[at] = d === 0 ? 1e-6 * voxel : d;
          if (d < 0) negative = true;
          else positive = true;
        }
      }
    }
    if (!negative || !positive) continue;
    for (let z = 0; z < BLOCK; z++) {
      for (let y = 0; y < BLOCK; y++) {
        for (let x = 0; x < BLOCK; x++) {
          const at = x + SIDE * (y + SIDE * z);
          let cell = 0;
          let complete = true;
          for (let c = 0; c < 8; c++) {
            const q = at + (c & 1) + SIDE * (((c >> 1) & 1) + SIDE * (c >> 2));
            if (!valid[q]) {
              complete = false;
              break;
            }
            if (value[q] < 0) cell |= 1 << c;
          }
          if (!complete || cell === 0 || cell === 255) continue;
          const triangles = TRIANGLE_TABLE[cell];
          cellStarts?.push(indices.length / 3);
          for (let k = 0; k < triangles.length; k++) indices.push(vertexOn(x, y, z, triangles[k], bx, by, bz));
        }
      }
    }
  }
  return {
    positions: positions.toArray(),
    indices: indices.toArray(),
    ...(hasColor ? { colors: colors.toArray() } : {}),
    ...(hasScans || hasInvented ? { scanCount: scanCount.toArray() } : {}),
    // A field without scans, such as a shape in closed form, says nothing of what was measured.
    ...(hasScans && hasInvented ? { invented: invented.toArray() } : {}),
  };
}

function bitCount(v: number): number {
  let n = 0;
  for (let x = v; x !== 0; x &= x - 1) n++;
  return n;
}
