import type { Mat4 } from '../math/mat4.js';
import type { ColorImage } from './triangle-mesh.js';

/** Pinhole camera: focal lengths and principal point in pixels; pixel centres lie at whole numbers. */
export interface Intrinsics {
  width: number;
  height: number;
  fx: number;
  fy: number;
  cx: number;
  cy: number;
}

/**
 * One depth image with its colour image and its pose inside the scan. The sensor looks along +Z, X right, Y down.
 * `depth` holds Z in millimetres, row by row from the top; 0 means "nothing measured".
 */
export interface DepthFrame {
  name: string;
  camera: Intrinsics;
  depth: Float32Array;
  scanFromSensor: Mat4;
  color?: { camera: Intrinsics; image: ColorImage };
  /** How far what it sees was moved to undo the drift of tracking, mm; absent if that was never done. */
  drift?: number;
}

/** The same frame with another pose, depth image or drift; what is kept is still unpacked only when asked for. */
export function changedFrame(
  frame: DepthFrame,
  change: Partial<Pick<DepthFrame, 'scanFromSensor' | 'depth' | 'drift'>>,
): DepthFrame {
  const drift = change.drift ?? frame.drift;
  return {
    ...(drift === undefined ? {} : { drift }),
    name: frame.name,
    camera: frame.camera,
    scanFromSensor: change.scanFromSensor ?? frame.scanFromSensor,
    get depth() {
      return change.depth ?? frame.depth;
    },
    get color() {
      return frame.color;
    },
  };
}

/** Whether the frames of a scan were fitted to each other before (`refineFrames`); fewer than three have nothing to agree on. */
export const wereRefined = (frames: readonly DepthFrame[]): boolean =>
  frames.length < 3 || frames.every((f) => f.drift !== undefined);

/** A level camera of which only the field of view (left to right, degrees) is known; its axis meets the middle. */
export function pinhole(width: number, height: number, fieldOfView: number): Intrinsics {
  const f = width / 2 / Math.tan((fieldOfView * Math.PI) / 360);
  return { width, height, fx: f, fy: f, cx: (width - 1) / 2, cy: (height - 1) / 2 };
}

/** The same camera for an image of another size. */
export function resizeIntrinsics(camera: Intrinsics, width: number, height: number): Intrinsics {
  const sx = width / camera.width;
  const sy = height / camera.height;
  return {
    width,
    height,
    fx: camera.fx * sx,
    fy: camera.fy * sy,
    cx: (camera.cx + 0.5) * sx - 0.5,
    cy: (camera.cy + 0.5) * sy - 0.5,
  };
}
