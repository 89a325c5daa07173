import type { DepthFrame } from '../geometry/depth-frame.js';
import type { PointCloud } from '../geometry/point-cloud.js';
import { transformPoints } from '../math/mat4.js';
import { thinByVoxel } from './thin.js';

/** The measured points of a frame in sensor coordinates, with colours if the frame has an image. O(pixels). */
export function frameCloud(frame: Omit<DepthFrame, 'scanFromSensor'>): PointCloud {
  const { width, height, fx, fy, cx, cy } = frame.camera;
  // Asked for once: a stored frame unpacks its pictures when they are.
  const { depth, color } = frame;
  let measured = 0;
  for (let i = 0; i < depth.length; i++) if (depth[i] > 0) measured++;
  const positions = new Float32Array(3 * measured);
  const colors = color ? new Uint8Array(3 * measured) : undefined;
  let at = 0;
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const z = depth[v * width + u];
      if (!(z > 0)) continue;
      const x = ((u - cx) / fx) * z;
      const y = ((v - cy) / fy) * z;
      positions[at] = x;
      positions[at + 1] = y;
      positions[at + 2] = z;
      if (color) {
        const c = color.camera;
        const data = color.image.data;
        const cu = Math.max(0, Math.min(c.width - 1, Math.round((c.fx * x) / z + c.cx)));
        const cv = Math.max(0, Math.min(c.height - 1, Math.round((c.fy * y) / z + c.cy)));
        const from = 3 * (cv * c.width + cu);
        colors![at] = data[from];
        colors![at + 1] = data[from + 1];
        colors![at + 2] = data[from + 2];
      }
      at += 3;
    }
  }
  return { positions, ...(colors ? { colors } : {}) };
}

/**
 * Width of a pixel on the surface at the middle distance that a frame measured, mm; 0 for one that measured nothing. One point
 * per pixel of a single frame: more frames even out noise instead of adding points.
 */
export function footprintOf({ depth, camera }: Pick<DepthFrame, 'depth' | 'camera'>): number {
  const measured = depth.filter((z) => z > 0).sort();
  return (measured[measured.length >> 1] ?? 0) / camera.fx;
}

/** All points of a scan's frames in the scan's frame, thinned to one per cube of edge `cell` mm. */
export function joinFrames(frames: readonly DepthFrame[], cell: number): PointCloud {
  return joinThinned(
    frames.map((f) => {
      const cloud = frameCloud(f);
      return { ...cloud, positions: transformPoints(f.scanFromSensor, cloud.positions) };
    }),
    cell,
  );
}

/** Several clouds as one, thinned to one point per cube of edge `cell` mm; with colours if all have them. O(points). */
export function joinThinned(clouds: readonly PointCloud[], cell: number): PointCloud {
  const total = clouds.reduce((n, c) => n + c.positions.length, 0);
  const all: PointCloud = { positions: new Float32Array(total) };
  if (clouds.every((c) => c.colors)) all.colors = new Uint8Array(total);
  let at = 0;
  for (const { positions, colors } of clouds) {
    all.positions.set(positions, at);
    all.colors?.set(colors!, at);
    at += positions.length;
  }
  return thinByVoxel(all, cell).cloud;
}
