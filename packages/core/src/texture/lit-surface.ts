import { vertexCount, type NormalMesh } from '../geometry/triangle-mesh.js';
import type { FrameView } from './frame-views.js';
import { harmonics, LAMP_TERM, ROOM_TERMS, sensorTerm, type LightModel } from './light-model.js';

/** Less light than this share of the usual tells nothing of the paint. */
const LEAST_LIGHT = 0.03;

/** A surface under a light: what falls on each vertex in each room, and in each view. */
export class LitSurface {
  private readonly fromRoom: Float32Array[];
  private readonly light = new Float64Array(3);

  constructor(
    private readonly mesh: NormalMesh,
    private readonly views: readonly FrameView[],
    readonly model: LightModel,
  ) {
    const n = vertexCount(mesh);
    const { normals } = mesh;
    const basis = new Float64Array(9);
    this.fromRoom = model.lamps.map((lamp, room) => {
      const out = new Float32Array(3 * n);
      const at = 3 * ROOM_TERMS * room;
      for (let v = 0; v < n; v++) {
        const [x, y, z] = [normals[3 * v], normals[3 * v + 1], normals[3 * v + 2]];
        harmonics(x, y, z, basis);
        const d = lamp?.direction;
        const falls = lamp && d ? (Math.max(0, x * d[0] + y * d[1] + z * d[2]) * lamp.lit[v]) / 255 : 0;
        for (let c = 0; c < 3; c++) {
          let sum = falls * model.rooms[at + 3 * LAMP_TERM + c];
          for (let j = 0; j < 9; j++) sum += basis[j] * model.rooms[at + 3 * j + c];
          out[3 * v + c] = sum;
        }
      }
      return out;
    });
  }

  /**
   * Factors (three channels) that turn a view's light into paint at a vertex, written to `out`.
   * @returns the light on it, green, for one that is usually lit about 1
   */
  paintFactors(view: number, v: number, out: Float64Array, at = 0): number {
    const { model, light } = this;
    const f = this.views[view];
    const own = sensorTerm(f, model.reach, this.mesh, v);
    const room = this.fromRoom[f.room];
    for (let c = 0; c < 3; c++) {
      const falls = room[3 * v + c] + own * model.sensor[c];
      light[c] = falls > LEAST_LIGHT ? falls : LEAST_LIGHT;
      out[at + c] = 1 / (model.gains[3 * view + c] * light[c]);
    }
    return light[1];
  }
}
