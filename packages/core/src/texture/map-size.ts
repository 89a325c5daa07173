import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { transformPoint, type Vec3 } from '../math/mat4.js';
import type { ColorFrame } from './frame-views.js';

/** Texels for a pixel of the nearest pictures, along an edge: a little more than one, for no texel lies just on a pixel. */
const TEXELS_A_PIXEL = 1.4;
/** Share of a map that charts fill, about. */
const USED = 0.6;
const SMALLEST = 512;
const LARGEST = 4096;

/**
 * The smallest map, as a power of two from 512 to 4096, that holds all that the pictures show; of a surface without pictures, what
 * its vertices hold. O(vertices + frames).
 */
export function mapSizeFor(mesh: TriangleMesh, frames: readonly ColorFrame[]): number {
  const wanted = TEXELS_A_PIXEL * (frames.length > 0 ? pixelsPerMm(mesh, frames) : verticesPerMm(mesh));
  const edge = Math.sqrt(areaOf(mesh) / USED) * wanted;
  const size = 2 ** Math.ceil(Math.log2(Math.max(1, edge)));
  return Math.min(LARGEST, Math.max(SMALLEST, size));
}

/** Of the nearest tenth of pictures on the surface before them, looked at squarely. */
function pixelsPerMm(mesh: TriangleMesh, frames: readonly ColorFrame[]): number {
  const { min, max } = boundsOf(mesh.positions);
  const middle = min.map((v, k) => (v + max[k]) / 2) as Vec3;
  const before = diagonalOf({ min, max }) / 4;
  const densities = frames
    .map(({ frame, sensorFromPiece }) => {
      const away = Math.hypot(...transformPoint(sensorFromPiece, ...middle));
      return frame.color!.camera.fx / Math.max(away - before, before);
    })
    .sort((a, b) => b - a);
  return densities[Math.floor(densities.length / 10)];
}

const verticesPerMm = (mesh: TriangleMesh): number =>
  Math.sqrt(mesh.positions.length / 3 / Math.max(1e-12, areaOf(mesh)));

function areaOf({ positions: p, indices }: TriangleMesh): number {
  let twice = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [3 * indices[t], 3 * indices[t + 1], 3 * indices[t + 2]];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    twice += Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
  }
  return twice / 2;
}
