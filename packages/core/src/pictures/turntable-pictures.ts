import { boundsOf } from '../geometry/point-cloud.js';
import { vertexNormals, type ColorImage, type TexturedMesh, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { lookAt, type Vec3 } from '../math/mat4.js';
import { pictureThrough } from './picture-through.js';

/** The first picture looks at a corner of the object, which shows more of it than a side. */
const FIRST_LOOK = 0.7;
/** How far above the level the eye stands, radians. */
const FROM_ABOVE = 0.35;
/** Focal length in widths of the picture, and how many radii away the object then fills it. */
const FOCAL = 2.6;
const AWAY = 2.15 * FOCAL;

/**
 * Turntable pictures of a surface, side by side in one strip: `views` pictures of `size`² pixels on a plain ground,
 * softly lit, in the map's or the vertices' colours, invented surface included. O(views · (triangles + pixels)).
 */
export function renderTurntable(
  mesh: TriangleMesh | TexturedMesh,
  size: number,
  views: number,
  ground: [number, number, number],
): ColorImage {
  const data = new Uint8Array(3 * size * size * views);
  const shown = { ...mesh, normals: mesh.normals ?? vertexNormals(mesh) };
  for (let view = 0; view < views; view++) {
    const { data: picture } = renderFrom(shown, size, (2 * Math.PI * view) / views, ground);
    for (let row = 0; row < size; row++)
      data.set(picture.subarray(3 * row * size, 3 * (row + 1) * size), 3 * (row * size * views + view * size));
  }
  return { width: size * views, height: size, data };
}

/**
 * One picture of a surface, `size`² pixels, from a little above.
 * @param aroundRad how far the eye has gone round, counter-clockwise seen from above
 */
export function renderFrom(
  mesh: TriangleMesh | TexturedMesh,
  size: number,
  aroundRad: number,
  ground: [number, number, number],
): ColorImage {
  const { min, max } = boundsOf(mesh.positions);
  const middle: Vec3 = [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2];
  const distance = (AWAY * Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2])) / 2 || AWAY;
  const around = aroundRad + FIRST_LOOK;
  const toEye: Vec3 = [
    Math.cos(around) * Math.cos(FROM_ABOVE),
    Math.sin(around) * Math.cos(FROM_ABOVE),
    Math.sin(FROM_ABOVE),
  ];
  const eye = middle.map((c, k) => c + distance * toEye[k]) as Vec3;
  const focal = FOCAL * size;
  const camera = { width: size, height: size, fx: focal, fy: focal, cx: (size - 1) / 2, cy: (size - 1) / 2 };
  const soft = (nx: number, ny: number, nz: number): number => {
    const facing = Math.abs(nx * toEye[0] + ny * toEye[1] + nz * toEye[2]);
    return Math.min(1.05, 0.42 + 0.5 * facing + 0.16 * Math.max(0, nz));
  };
  return pictureThrough(mesh, { camera, meshFromSensor: lookAt(eye, middle, [0, 0, 1]) }, ground, soft).image;
}
