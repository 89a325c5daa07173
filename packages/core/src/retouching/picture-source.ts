import type { DepthFrame } from '../geometry/depth-frame.js';
import type { Placement, Scan } from '../geometry/scan.js';
import { LIGHT_OF_SRGB } from '../geometry/srgb.js';
import type { ColorImage } from '../geometry/triangle-mesh.js';
import { invertRigid, multiply, type Mat4, type Vec3 } from '../math/mat4.js';

/** Measured depth may differ by this share of the distance from a place that is the same: common practice, no source. */
const SAME_DEPTH = 0.01;

/** One picture as a source of colours: what it shows at a place of the piece. */
export class PictureSource {
  private readonly sensorFromPiece: Mat4;
  private readonly sensor: DepthFrame['camera'];
  private readonly depth: Float32Array;
  private readonly color: NonNullable<DepthFrame['color']>;
  /** Where the sensor stood, in the piece's frame. */
  readonly eye: Vec3;
  private readonly pixel = new Float64Array(2);

  /** @param frame one with a picture; it is unpacked once */
  constructor(frame: DepthFrame, pieceFromScan: Mat4) {
    this.sensor = frame.camera;
    this.depth = frame.depth;
    this.color = frame.color!;
    const pieceFromSensor = multiply(pieceFromScan, frame.scanFromSensor);
    this.sensorFromPiece = invertRigid(pieceFromSensor);
    this.eye = [pieceFromSensor[12], pieceFromSensor[13], pieceFromSensor[14]];
  }

  get image(): ColorImage {
    return this.color.image;
  }

  /**
   * The pixel of the picture that shows a place of the piece, written to `out` (right, down). @returns false where it does not show it
   * @param unmeasured whether a place counts as shown where nothing was measured: the sensor may have looked past it
   */
  pixelOf(x: number, y: number, z: number, out: Float64Array, unmeasured = false): boolean {
    const m = this.sensorFromPiece;
    const d = m[2] * x + m[6] * y + m[10] * z + m[14];
    if (!(d > 0)) return false;
    const right = (m[0] * x + m[4] * y + m[8] * z + m[12]) / d;
    const down = (m[1] * x + m[5] * y + m[9] * z + m[13]) / d;
    const { sensor, depth } = this;
    const su = Math.round(sensor.fx * right + sensor.cx);
    const sv = Math.round(sensor.fy * down + sensor.cy);
    if (!(su >= 0 && sv >= 0 && su < sensor.width && sv < sensor.height)) return false;
    // Something stands before it, or the sensor looked past it.
    const measured = depth[sv * sensor.width + su];
    if (!(unmeasured && measured === 0) && !(Math.abs(measured - d) < SAME_DEPTH * d)) return false;
    const { camera } = this.color;
    out[0] = camera.fx * right + camera.cx;
    out[1] = camera.fy * down + camera.cy;
    return out[0] >= 0 && out[1] >= 0 && out[0] < camera.width - 1 && out[1] < camera.height - 1;
  }

  /** Writes the light at a place of the piece. @returns false where the picture does not show it */
  light(x: number, y: number, z: number, out: Float64Array): boolean {
    const { pixel } = this;
    if (!this.pixelOf(x, y, z, pixel)) return false;
    const u = pixel[0];
    const v = pixel[1];
    const { width, data } = this.color.image;
    const u0 = Math.floor(u);
    const v0 = Math.floor(v);
    const [a, b] = [u - u0, v - v0];
    const at = 3 * (v0 * width + u0);
    const below = at + 3 * width;
    for (let k = 0; k < 3; k++)
      out[k] =
        (LIGHT_OF_SRGB[data[at + k]] * (1 - a) + LIGHT_OF_SRGB[data[at + 3 + k]] * a) * (1 - b) +
        (LIGHT_OF_SRGB[data[below + k]] * (1 - a) + LIGHT_OF_SRGB[data[below + 3 + k]] * a) * b;
    return true;
  }
}

/** A picture by the names of its scan and its frame. */
export type PictureFinder = (scan: string, frame: string) => PictureSource | undefined;

/** Finds pictures by their names among the frames of the placed scans. */
export function pictureFinder(scans: readonly Scan[], placements: readonly Placement[]): PictureFinder {
  const known = new Map<DepthFrame, PictureSource>();
  return (scanName, frameName) => {
    const placement = placements.find((p) => p.name === scanName && p.state === 'registered');
    const frame = scans.find((s) => s.name === scanName)?.frames?.find((f) => f.name === frameName && f.color);
    if (!placement || !frame) return undefined;
    let source = known.get(frame);
    if (!source) known.set(frame, (source = new PictureSource(frame, placement.pieceFromScan)));
    return source;
  };
}
