import type { DepthFrame, Intrinsics } from '../geometry/depth-frame.js';
import { resizeIntrinsics } from '../geometry/depth-frame.js';
import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import type { Placement, Scan } from '../geometry/scan.js';
import { placedScans } from '../geometry/scan.js';
import { LIGHT_OF_SRGB } from '../geometry/srgb.js';
import { vertexCount, type ColorImage, type NormalMesh, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { PictureName } from '../geometry/vertex-knowledge.js';
import { invertRigid, multiply, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import { rasterizeDepth } from '../mesh/rasterize.js';
import { mapTask } from '../runtime/map-task.js';
import type { RunContext } from '../runtime/run-context.js';

/**
 * So far the surface may lie off what was measured and still be the same place, in diagonals of the surface: more lets colours
 * through thin walls, less leaves noisy places without pictures. Found on the demo jug (0.8 mm of 250 mm).
 */
const TOLERATED = 1 / 310;
/** Nearer to an outline a pixel holds some of what lies behind, pixels. */
const MIXED = 1.5;
/** A view fades out towards outlines over this share of the picture's width: poses and shape are never exact. */
const FADED = 1 / 50;
/** Places seen more askew than this get no colour: cosine of the incidence. */
const ASKEW = 0.17;

/** A colour image with its camera in the piece's frame and how well it sees each vertex. */
export interface FrameView {
  picture: PictureName;
  /** Number of the room, that is of the light it was taken in: frames of one setup share it. */
  room: number;
  camera: Intrinsics;
  image: ColorImage;
  sensorFromPiece: Mat4;
  /** Per vertex 0 (not seen) to 255 (seen squarely and close); weighs as its square. A byte, for there are many frames and many vertices. */
  quality: Uint8Array;
}

/** Weight from 0 to 1 of a byte of `FrameView.quality`. */
export const weightOfQuality = (byte: number): number => (byte / 255) ** 2;

/** A frame of a placed scan that has colours. */
export interface ColorFrame {
  picture: PictureName;
  room: number;
  frame: DepthFrame;
  sensorFromPiece: Mat4;
}

/** All colour frames of the placed scans, in order. Frames of scans of one setup, else of one scan, stand in one room. */
export function colorFrames(scans: Scan[], placements: Placement[]): ColorFrame[] {
  const rooms = new Map<string, number>();
  if (!scans.some((s) => s.frames?.length)) return [];
  return placedScans(scans, placements).flatMap(({ scan, placement }) =>
    (scan.frames ?? [])
      .filter((f) => f.color)
      .map((frame) => {
        const key = scan.setup === undefined ? `scan ${scan.name}` : `setup ${scan.setup}`;
        if (!rooms.has(key)) rooms.set(key, rooms.size);
        return {
          picture: { scan: scan.name, frame: frame.name },
          room: rooms.get(key)!,
          frame,
          sensorFromPiece: invertRigid(multiply(placement.pieceFromScan, frame.scanFromSensor)),
        };
      }),
  );
}

/** The frames' pictures with the vertices they see. O(frames · (vertices + pixels)). */
export async function viewsOfFrames(
  mesh: NormalMesh,
  frames: readonly ColorFrame[],
  ctx: RunContext,
): Promise<FrameView[]> {
  const views = frames.map(({ picture, room, frame, sensorFromPiece }): FrameView => {
    const { camera, image } = frame.color!;
    return { picture, room, camera, image, sensorFromPiece, quality: new Uint8Array(0) };
  });
  await seeAgain(mesh, frames, views, ctx);
  return views;
}

/** Finds anew what each view sees from where it stands now. */
export async function seeAgain(
  mesh: NormalMesh,
  frames: readonly ColorFrame[],
  views: readonly FrameView[],
  ctx: RunContext,
): Promise<void> {
  const size = diagonalOf(boundsOf(mesh.positions));
  const distances = sensorDistances(mesh, views);
  const { positions, indices, normals } = mesh;
  // From nearer by than this nothing is gained.
  const near = distances[Math.floor(views.length / 10)];
  const looks = views.map(({ sensorFromPiece, camera: picture }, i): Look => ({
    sensorFromPiece,
    picture,
    camera: frames[i].frame.camera,
    // Read when its turn comes: frames may be stored packed.
    get depth() {
      return frames[i].frame.depth;
    },
  }));
  const seen = await mapTask(
    'see-vertices',
    seeVerticesTask,
    { mesh: { positions, indices, normals }, size, near },
    looks,
    ctx,
  );
  views.forEach((view, i) => (view.quality = seen[i]));
}

/** What a view measured, and from where. */
interface Look {
  sensorFromPiece: Mat4;
  /** Of the depth, and of the picture. */
  camera: Intrinsics;
  picture: Intrinsics;
  depth: Float32Array;
}

interface Seen {
  mesh: NormalMesh;
  /** Diagonal of the mesh, and the distance from which on a view counts less, mm. */
  size: number;
  near: number;
}

/** Distances from the views' sensors to the mesh's middle, mm, rising. */
export function sensorDistances(mesh: TriangleMesh, views: readonly FrameView[]): number[] {
  const { min, max } = boundsOf(mesh.positions);
  const middle = min.map((v, k) => (v + max[k]) / 2) as Vec3;
  return views.map((v) => Math.hypot(...transformPoint(v.sensorFromPiece, ...middle))).sort((a, b) => a - b);
}

/**
 * How well a frame sees each vertex: the squared cosine of the incidence, less from far, faded out towards the picture's border
 * and towards outlines; zero where the mesh itself or anything measured in front hides it, or where the sensor looked past it.
 */
export function seeVerticesTask({ mesh, size, near }: Seen, look: Look): Uint8Array {
  const n = vertexCount(mesh);
  const out = new Uint8Array(n);
  const unit = TOLERATED * size;
  const { sensorFromPiece: m, depth: measuredDepth } = look;
  const camera = resizeIntrinsics(look.picture, look.camera.width, look.camera.height);
  const { width, height, fx, fy, cx, cy } = camera;
  const { depth } = rasterizeDepth(mesh, m, camera);
  const clear = pixelsToOutline(depth, width, height, unit, fx);
  const reach = Math.max(4, FADED * width);
  const { positions: p, normals } = mesh;
  for (let v = 0; v < n; v++) {
    const x = p[3 * v];
    const y = p[3 * v + 1];
    const z = p[3 * v + 2];
    const d = m[2] * x + m[6] * y + m[10] * z + m[14];
    if (d <= 0) continue;
    const sx = m[0] * x + m[4] * y + m[8] * z + m[12];
    const sy = m[1] * x + m[5] * y + m[9] * z + m[13];
    const u = Math.round((fx * sx) / d + cx);
    const w = Math.round((fy * sy) / d + cy);
    const border = Math.min(u, w, width - 1 - u, height - 1 - w);
    if (border < 1) continue;
    const at = w * width + u;
    const outline = clear[at];
    if (outline < MIXED) continue;
    const a = m[0] * normals[3 * v] + m[4] * normals[3 * v + 1] + m[8] * normals[3 * v + 2];
    const b = m[1] * normals[3 * v] + m[5] * normals[3 * v + 1] + m[9] * normals[3 * v + 2];
    const c = m[2] * normals[3 * v] + m[6] * normals[3 * v + 1] + m[10] * normals[3 * v + 2];
    const length = Math.sqrt(sx * sx + sy * sy + d * d);
    const cos = -(a * sx + b * sy + c * d) / length;
    if (cos < ASKEW) continue;
    const slack = unit + (1.5 * d) / (fx * cos);
    const measured = measuredDepth[at];
    // Hidden by the mesh, by something in front that is not part of it, or beside what the sensor looked past.
    if (depth[at] > 0 && depth[at] < d - slack - 2 * unit) continue;
    if (measured > 0 && (measured < d - slack - 4 * unit || measured > d + slack + 4 * unit)) continue;
    const fade = smoothStep((outline - MIXED + 0.6) / reach) * smoothStep(border / reach);
    const closeness = Math.min(1, near / length);
    // The square root of the weight, at least 1 where anything is seen.
    out[v] = Math.max(1, Math.round(255 * (cos - 0.75 * ASKEW) * closeness * Math.sqrt(fade)));
  }
  return out;
}

const smoothStep = (t: number): number => (t >= 1 ? 1 : t <= 0 ? 0 : t * t * (3 - 2 * t));

/**
 * For each pixel the distance to the nearest outline, where the depth steps or ends, pixels; at most 255. Two passes with weights 1 and √2.
 * Source: G. Borgefors (1986), Distance transformations in digital images.
 */
function pixelsToOutline(
  depth: Float32Array,
  width: number,
  height: number,
  unit: number,
  focal: number,
): Float32Array {
  const out = new Float32Array(width * height).fill(255);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const at = y * width + x;
      const d = depth[at];
      if (d === 0) {
        out[at] = 0;
        continue;
      }
      // A slope of 80° between neighbours is no step.
      const step = 3 * unit + (6 * d) / focal;
      const beside = (other: number): boolean => other === 0 || Math.abs(other - d) > step;
      if (
        (x > 0 && beside(depth[at - 1])) ||
        (x < width - 1 && beside(depth[at + 1])) ||
        (y > 0 && beside(depth[at - width])) ||
        (y < height - 1 && beside(depth[at + width]))
      )
        out[at] = 0.5;
    }
  }
  const pass = (from: number, to: number, by: number): void => {
    for (let at = from; at !== to; at += by) {
      const x = at % width;
      const row = at - by * width;
      let least = out[at];
      if (x !== (by > 0 ? 0 : width - 1)) least = Math.min(least, out[at - by] + 1);
      if (row >= 0 && row < out.length) {
        least = Math.min(least, out[row] + 1);
        if (x > 0) least = Math.min(least, out[row - 1] + Math.SQRT2);
        if (x < width - 1) least = Math.min(least, out[row + 1] + Math.SQRT2);
      }
      out[at] = least;
    }
  };
  pass(0, out.length, 1);
  pass(out.length - 1, -1, -1);
  return out;
}

/** Bilinear light (0–1, three channels) of a view at a point of the piece. @returns false outside the picture */
export function lightAt(view: FrameView, x: number, y: number, z: number, out: Float64Array, at = 0): boolean {
  const m = view.sensorFromPiece;
  const d = m[2] * x + m[6] * y + m[10] * z + m[14];
  if (d <= 0) return false;
  const { width, height, fx, fy, cx, cy } = view.camera;
  const u = (fx * (m[0] * x + m[4] * y + m[8] * z + m[12])) / d + cx;
  const v = (fy * (m[1] * x + m[5] * y + m[9] * z + m[13])) / d + cy;
  if (!(u >= 0 && v >= 0 && u < width - 1 && v < height - 1)) return false;
  const u0 = u | 0;
  const v0 = v | 0;
  const a = u - u0;
  const b = v - v0;
  const data = view.image.data;
  const left = 3 * (v0 * width + u0);
  const below = left + 3 * width;
  const w00 = (1 - a) * (1 - b);
  const w10 = a * (1 - b);
  const w01 = (1 - a) * b;
  const w11 = a * b;
  for (let k = 0; k < 3; k++) {
    out[at + k] =
      w00 * LIGHT_OF_SRGB[data[left + k]] +
      w10 * LIGHT_OF_SRGB[data[left + 3 + k]] +
      w01 * LIGHT_OF_SRGB[data[below + k]] +
      w11 * LIGHT_OF_SRGB[data[below + 3 + k]];
  }
  return true;
}
