import type { DepthFrame, Intrinsics } from '../geometry/depth-frame.js';
import { resizeIntrinsics } from '../geometry/depth-frame.js';
import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import type { Placement, Scan } from '../geometry/scan.js';
import { placedScans } from '../geometry/scan.js';
import { vertexCount, vertexNormals, type ColorImage, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import { rasterizeDepth } from '../mesh/rasterize.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import type { RunContext } from '../runtime/run-context.js';

/** Depth steps count this many depth pixels around. */
const STEP_REACH = 2;
/**
 * So far the surface may lie off what was measured and still be the same place, in diagonals of the surface: more lets colours
 * through thin walls, less leaves noisy places without pictures. Found on the demo jug (0.8 mm of 250 mm).
 */
const TOLERATED = 1 / 310;

/** A colour image with its camera in the piece's frame and how well it sees each vertex. */
export interface FrameView {
  name: string;
  camera: Intrinsics;
  image: ColorImage;
  sensorFromPiece: Mat4;
  /** Per vertex 0 (not seen) to 255 (seen squarely and close): a byte, for there are many frames and many vertices. */
  quality: Uint8Array;
  /** Brightness correction per channel-independent gain, found by `balanceExposure`. */
  gain: number;
}

/** All colour images of the placed scans with the vertices they see. O(frames · (vertices + pixels)). */
export function viewsOfFrames(
  mesh: TriangleMesh,
  scans: Scan[],
  placements: Placement[],
  ctx: RunContext,
): FrameView[] {
  const normals = mesh.normals ?? vertexNormals(mesh);
  const size = diagonalOf(boundsOf(mesh.positions));
  const jobs = placedScans(scans, placements).flatMap(({ scan, placement }) =>
    (scan.frames ?? []).filter((f) => f.color).map((frame) => ({ scan, placement, frame })),
  );
  return jobs.map(({ scan, placement, frame }, i) => {
    ctx.checkpoint(i / jobs.length);
    const sensorFromPiece = invertRigid(multiply(placement.pieceFromScan, frame.scanFromSensor));
    const { camera, image } = frame.color!;
    return {
      name: `${scan.name}, ${frame.name}`,
      camera,
      image,
      sensorFromPiece,
      quality: vertexQuality(mesh, normals, sensorFromPiece, frame, size),
      gain: 1,
    };
  });
}

/**
 * How well a frame sees each vertex: the squared cosine of the incidence, faded out towards the picture's border and
 * at depth steps; zero where the mesh itself or anything measured in front hides it, or where the sensor looked past it.
 */
function vertexQuality(
  mesh: TriangleMesh,
  normals: Float32Array,
  m: Mat4,
  frame: DepthFrame,
  size: number,
): Uint8Array {
  const n = vertexCount(mesh);
  const out = new Uint8Array(n);
  const unit = TOLERATED * size;
  const camera = resizeIntrinsics(frame.color!.camera, frame.camera.width, frame.camera.height);
  const { width, height, fx, fy, cx, cy } = camera;
  const { depth } = rasterizeDepth(mesh, m, camera);
  const p = mesh.positions;
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
    if (border <= STEP_REACH) continue;
    const a = m[0] * normals[3 * v] + m[4] * normals[3 * v + 1] + m[8] * normals[3 * v + 2];
    const b = m[1] * normals[3 * v] + m[5] * normals[3 * v + 1] + m[9] * normals[3 * v + 2];
    const c = m[2] * normals[3 * v] + m[6] * normals[3 * v + 1] + m[10] * normals[3 * v + 2];
    const cos = -(a * sx + b * sy + c * d) / Math.hypot(sx, sy, d);
    if (cos < 0.2) continue;
    const slack = unit + (1.5 * d) / (fx * cos);
    const at = w * width + u;
    const measured = frame.depth[at];
    // Hidden by the mesh, by something in front that is not part of it, or beside what the sensor looked past.
    if (depth[at] > 0 && depth[at] < d - slack - 2 * unit) continue;
    if (measured > 0 && (measured < d - slack - 4 * unit || measured > d + slack + 4 * unit)) continue;
    let step = false;
    for (let dv = -STEP_REACH; dv <= STEP_REACH && !step; dv++) {
      for (let du = -STEP_REACH; du <= STEP_REACH; du++) {
        const seen = depth[at + dv * width + du];
        // Nearer: it may cast its edge on this place. Farther or nothing: this place is an edge, its colour may be what lies behind.
        const reach = slack * (1 + Math.max(Math.abs(du), Math.abs(dv))) + 2 * unit;
        if (seen === 0 || seen < d - reach || seen > d + reach) step = true;
      }
    }
    const fade = Math.min(1, (border - 1) / 10) * (step ? 0.05 : 1);
    out[v] = Math.round(255 * cos * cos * fade);
  }
  return out;
}

/**
 * Finds one gain per image so that what several images see has the same brightness in all of them; the mean gain stays
 * 1. Least squares on logarithms over vertices seen twice. O(vertices · views + views³).
 * Source: M. Brown, D. Lowe (2007), Automatic panoramic image stitching using invariant features (gain compensation).
 */
export function balanceExposure(mesh: TriangleMesh, views: FrameView[]): void {
  const k = views.length;
  if (k < 2) return;
  const A = new Float64Array(k * k);
  const b = new Float64Array(k);
  const n = vertexCount(mesh);
  const step = Math.max(1, Math.floor(n / 8000));
  const seen: number[] = [];
  const light: number[] = [];
  const rgb: [number, number, number] = [0, 0, 0];
  for (let v = 0; v < n; v += step) {
    seen.length = 0;
    light.length = 0;
    for (let i = 0; i < k; i++) {
      // Square views may show highlights, grazing ones are dark.
      if (views[i].quality[v] < 0.2 * 255) continue;
      if (!sampleView(views[i], mesh.positions[3 * v], mesh.positions[3 * v + 1], mesh.positions[3 * v + 2], rgb))
        continue;
      const y = 0.3 * rgb[0] + 0.59 * rgb[1] + 0.11 * rgb[2];
      if (y < 12 || y > 244) continue;
      seen.push(i);
      light.push(Math.log(y));
    }
    for (let s = 0; s < seen.length; s++) {
      for (let t = s + 1; t < seen.length; t++) {
        const i = seen[s];
        const j = seen[t];
        const difference = light[t] - light[s];
        if (Math.abs(difference) > 0.5) continue;
        A[i * k + i]++;
        A[j * k + j]++;
        A[i * k + j]--;
        A[j * k + i]--;
        b[i] += difference;
        b[j] -= difference;
      }
    }
  }
  // The mean is free: hold it by a weak pull of every gain towards 1.
  for (let i = 0; i < k; i++) A[i * k + i] += 1 + 1e-4 * A[i * k + i];
  if (!solveCholeskyInPlace(A, b, k)) return;
  const mean = b.reduce((s, x) => s + x, 0) / k;
  views.forEach((view, i) => (view.gain = Math.exp(Math.max(-0.7, Math.min(0.7, b[i] - mean)))));
}

/** Bilinear colour of a view at a point of the piece, gain not applied. @returns false outside the picture */
export function sampleView(view: FrameView, x: number, y: number, z: number, out: [number, number, number]): boolean {
  const m = view.sensorFromPiece;
  const d = m[2] * x + m[6] * y + m[10] * z + m[14];
  if (d <= 0) return false;
  const { width, height, fx, fy, cx, cy } = view.camera;
  const u = (fx * (m[0] * x + m[4] * y + m[8] * z + m[12])) / d + cx;
  const v = (fy * (m[1] * x + m[5] * y + m[9] * z + m[13])) / d + cy;
  if (u < 0 || v < 0 || u >= width - 1 || v >= height - 1) return false;
  const u0 = Math.floor(u);
  const v0 = Math.floor(v);
  const a = u - u0;
  const b = v - v0;
  const data = view.image.data;
  const at = 3 * (v0 * width + u0);
  const below = at + 3 * width;
  for (let k = 0; k < 3; k++) {
    out[k] =
      (data[at + k] * (1 - a) + data[at + 3 + k] * a) * (1 - b) +
      (data[below + k] * (1 - a) + data[below + 3 + k] * a) * b;
  }
  return true;
}
