import { boundsOf } from '../geometry/point-cloud.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { invertRigid, lookAt, normalize3, type Mat4, type Vec3 } from '../math/mat4.js';
import { rasterizeDepth } from '../mesh/rasterize.js';
import type { RoomLamp } from './light-model.js';

/** Edge of the picture, pixels. */
const SHADOW_SIZE = 700;

/** An axis that does not run along a unit direction. */
export const upFor = (d: Vec3): Vec3 => (Math.abs(d[2]) < 0.9 ? [0, 0, 1] : [0, 1, 0]);

/**
 * The depths that a lamp far away sees: what lies deeper is in the shadow.
 * Source: L. Williams (1978), Casting curved shadows on curved surfaces.
 */
export class ShadowPicture {
  readonly direction: Vec3;
  private readonly depth: Float32Array;
  private readonly sensorFromPiece: Mat4;
  private readonly focal: number;
  private readonly slack: number;

  constructor(caster: TriangleMesh, towards: Vec3) {
    const { min, max } = boundsOf(caster.positions);
    const middle = min.map((v, k) => (v + max[k]) / 2) as Vec3;
    const radius = Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]) / 2 || 1;
    const far = 40 * radius;
    const d = normalize3(towards);
    const eye = middle.map((c, k) => c + far * d[k]) as Vec3;
    const f = (0.48 * SHADOW_SIZE * far) / radius;
    const half = SHADOW_SIZE / 2;
    this.direction = d;
    this.focal = f;
    this.slack = 0.02 * radius;
    this.sensorFromPiece = invertRigid(lookAt(eye, middle, upFor(d)));
    const camera = { width: SHADOW_SIZE, height: SHADOW_SIZE, fx: f, fy: f, cx: half, cy: half };
    this.depth = rasterizeDepth(caster, this.sensorFromPiece, camera).depth;
  }

  /** How much of the lamp a place sees, 0–1: nine looks into the picture. */
  litAt(x: number, y: number, z: number): number {
    const m = this.sensorFromPiece;
    const d = m[2] * x + m[6] * y + m[10] * z + m[14];
    const u = Math.round((this.focal * (m[0] * x + m[4] * y + m[8] * z + m[12])) / d + SHADOW_SIZE / 2);
    const v = Math.round((this.focal * (m[1] * x + m[5] * y + m[9] * z + m[13])) / d + SHADOW_SIZE / 2);
    let free = 0;
    for (let dv = -1; dv <= 1; dv++) {
      for (let du = -1; du <= 1; du++) {
        const first = this.depth[(v + dv) * SHADOW_SIZE + u + du];
        if (!(first > 0) || first > d - this.slack) free++;
      }
    }
    return free / 9;
  }

  /** The lamp, with what each vertex sees of it. */
  lampOn(positions: Float32Array): RoomLamp {
    const lit = new Uint8Array(positions.length / 3);
    for (let v = 0; v < lit.length; v++)
      lit[v] = Math.round(255 * this.litAt(positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]));
    return { direction: this.direction, lit };
  }
}
