import type { Intrinsics } from '../geometry/depth-frame.js';

/** How a camera stands out of level, degrees, as its spirit level tells; 0 if absent. */
export interface Lean {
  /** It looks so far above level. */
  tilt?: number;
  /** Its picture's right side stands so far above level. */
  roll?: number;
}

/**
 * Directions of a camera's pixels as a level camera in its place would see them: what a spirit level tells of its
 * leaning forward, back or aside is taken out.
 */
export class LevelledCamera {
  private readonly sin: number;
  private readonly cos: number;
  private readonly rollSin: number;
  private readonly rollCos: number;

  constructor(
    private readonly camera: Intrinsics,
    { tilt = 0, roll = 0 }: Lean = {},
  ) {
    this.sin = Math.sin((tilt * Math.PI) / 180);
    this.cos = Math.cos((tilt * Math.PI) / 180);
    this.rollSin = Math.sin((roll * Math.PI) / 180);
    this.rollCos = Math.cos((roll * Math.PI) / 180);
  }

  /** Tangents to the right and down of a pixel's ray against level. */
  direction(column: number, row: number): [right: number, down: number] {
    const { fx, fy, cx, cy } = this.camera;
    const u = (column - cx) / fx;
    const v = (row - cy) / fy;
    const x = u * this.rollCos + v * this.rollSin;
    const y = v * this.rollCos - u * this.rollSin;
    const forward = this.cos + y * this.sin;
    return [x / forward, (y * this.cos - this.sin) / forward];
  }

  /** Pixel of a direction given by its tangents. */
  pixel(right: number, down: number): [column: number, row: number] {
    const { fx, fy, cx, cy } = this.camera;
    const forward = this.cos - down * this.sin;
    const x = right / forward;
    const y = (down * this.cos + this.sin) / forward;
    return [cx + fx * (x * this.rollCos - y * this.rollSin), cy + fy * (x * this.rollSin + y * this.rollCos)];
  }
}
