import type { Vec3 } from '../math/mat4.js';
import type { NormalMesh } from '../geometry/triangle-mesh.js';
import type { FrameView } from './frame-views.js';

/** Columns of a room's light: nine spherical harmonics of the normal, and the lamp that casts shadows. */
export const ROOM_TERMS = 10;
/** The lamp's column. */
export const LAMP_TERM = 9;

/**
 * What falls on a surface, per channel: light from all around a room, by the normal alone; one lamp of the room that casts
 * shadows; a lamp at the sensor. Each picture has its own exposure and white balance.
 * Source: R. Ramamoorthi, P. Hanrahan (2001), An efficient representation for irradiance environment maps (nine terms are
 * enough for diffuse surfaces).
 */
export interface LightModel {
  /** Exposure times white balance of each view, three channels. */
  gains: Float64Array;
  /** For each room `ROOM_TERMS` by three channels. */
  rooms: Float64Array;
  /** Of the lamp at the sensor, three channels, for a surface that faces it at `reach`. */
  sensor: Float64Array;
  /** mm. */
  reach: number;
  lamps: (RoomLamp | undefined)[];
}

/** A lamp far away. */
export interface RoomLamp {
  /** Unit, in the piece's frame. */
  direction: Vec3;
  /** Per vertex how much of it is seen (0–255). */
  lit: Uint8Array;
}

/** The first nine real spherical harmonics, up to constants: polynomials of a unit normal. */
export function harmonics(x: number, y: number, z: number, out: Float64Array, at = 0): void {
  out[at] = 1;
  out[at + 1] = x;
  out[at + 2] = y;
  out[at + 3] = z;
  out[at + 4] = x * y;
  out[at + 5] = y * z;
  out[at + 6] = x * z;
  out[at + 7] = z * z - 1 / 3;
  out[at + 8] = x * x - y * y;
}

/** Cosines between which a mirror's direction turns from clear of highlights to full of them: about 32° to 16°. */
const CLEAR_OF_GLARE = 0.85;
const IN_GLARE = 0.96;

/** How likely a surface shines, 0–1, whose normal has this cosine with the direction halfway between lamp and eye. */
function glare(cosine: number): number {
  if (cosine <= CLEAR_OF_GLARE) return 0;
  const t = Math.min(1, (cosine - CLEAR_OF_GLARE) / (IN_GLARE - CLEAR_OF_GLARE));
  return t * t * (3 - 2 * t);
}

/** Unit way to a view's sensor, from the last call of `towardsSensor`. */
const way = new Float64Array(3);

/** Finds the way from a vertex to a view's sensor. @returns its length, mm */
function towardsSensor(view: FrameView, { positions: p }: NormalMesh, v: number): number {
  const m = view.sensorFromPiece;
  // The sensor's place is −Rᵀ t.
  const dx = -(m[0] * m[12] + m[1] * m[13] + m[2] * m[14]) - p[3 * v];
  const dy = -(m[4] * m[12] + m[5] * m[13] + m[6] * m[14]) - p[3 * v + 1];
  const dz = -(m[8] * m[12] + m[9] * m[13] + m[10] * m[14]) - p[3 * v + 2];
  const length = Math.sqrt(dx * dx + dy * dy + dz * dz);
  way[0] = dx / length;
  way[1] = dy / length;
  way[2] = dz / length;
  return length;
}

/** How likely a vertex shines in a view under a lamp far away, 0–1. Source of the halfway vector: J. Blinn (1977), Models of light reflection. */
export function lampGlare(view: FrameView, lamp: Vec3, mesh: NormalMesh, v: number): number {
  towardsSensor(view, mesh, v);
  const n = mesh.normals;
  const hx = way[0] + lamp[0];
  const hy = way[1] + lamp[1];
  const hz = way[2] + lamp[2];
  const half = Math.sqrt(hx * hx + hy * hy + hz * hz);
  return half > 1e-6 ? glare((n[3 * v] * hx + n[3 * v + 1] * hy + n[3 * v + 2] * hz) / half) : 0;
}

/** How likely a vertex shines back at the lamp of a view's sensor, 0–1. */
export function sensorGlare(view: FrameView, mesh: NormalMesh, v: number): number {
  towardsSensor(view, mesh, v);
  const n = mesh.normals;
  return glare(n[3 * v] * way[0] + n[3 * v + 1] * way[1] + n[3 * v + 2] * way[2]);
}

/** How strongly the lamp at a view's sensor falls on a vertex: the cosine of the incidence over the squared distance, in `reach`. */
export function sensorTerm(view: FrameView, reach: number, mesh: NormalMesh, v: number): number {
  const distance = towardsSensor(view, mesh, v);
  const n = mesh.normals;
  const cosine = n[3 * v] * way[0] + n[3 * v + 1] * way[1] + n[3 * v + 2] * way[2];
  return cosine > 0 ? cosine * (reach / distance) ** 2 : 0;
}
