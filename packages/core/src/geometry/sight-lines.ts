import { multiply, transformPoint } from '../math/mat4.js';
import type { Placement, Scan } from './scan.js';

/** Straight ways that light took: from a sensor to what it measured, in the piece's frame, mm. Nothing stands in between. */
export interface SightLines {
  count: number;
  /** Where the sensor stood, 3n. */
  from: Float32Array;
  /** What it measured, 3n. */
  to: Float32Array;
}

/**
 * An even part of the sight lines of the placed scans, at most about `most`: of depth images their pixels, of clouds seen from one
 * place their points, backdrops too. Clouds whose sensor moved do not say which point was seen from where and give none.
 * O(points).
 */
export function sightLines(chosen: readonly { scan: Scan; placement: Placement }[], most: number): SightLines {
  const from: number[] = [];
  const to: number[] = [];
  const share = Math.max(1, Math.floor(most / Math.max(1, chosen.length)));
  for (const { scan, placement } of chosen) {
    const m = placement.pieceFromScan;
    const add = (eye: readonly number[], points: Float32Array, wanted: number): void => {
      const count = points.length / 3;
      const step = Math.max(1, Math.ceil(count / wanted));
      for (let i = 0; i < count; i += step) {
        from.push(eye[0], eye[1], eye[2]);
        to.push(...transformPoint(m, points[3 * i], points[3 * i + 1], points[3 * i + 2]));
      }
    };
    if (scan.frames?.length) {
      for (const frame of scan.frames) {
        const { camera, depth } = frame;
        const s = multiply(m, frame.scanFromSensor);
        const pixels = camera.width * camera.height;
        const step = Math.max(1, Math.ceil((pixels * scan.frames.length) / share));
        for (let i = 0; i < pixels; i += step) {
          const z = depth[i];
          if (!(z > 0)) continue;
          const u = i % camera.width;
          const v = Math.floor(i / camera.width);
          from.push(s[12], s[13], s[14]);
          to.push(...transformPoint(s, ((u - camera.cx) / camera.fx) * z, ((v - camera.cy) / camera.fy) * z, z));
        }
      }
    } else if (scan.viewpoints?.length === 1) {
      const eye = transformPoint(m, ...scan.viewpoints[0]);
      add(eye, scan.cloud.positions, share);
      if (scan.backdrop) add(eye, scan.backdrop, share);
    }
  }
  return { count: from.length / 3, from: Float32Array.from(from), to: Float32Array.from(to) };
}
