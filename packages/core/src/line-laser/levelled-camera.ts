import type { Intrinsics } from '../geometry/depth-frame.js';

/**
 * Directions of a camera's pixels as a level camera in its place would see them: what a spirit level tells of its
 * leaning forward or back is taken out.
 */
export class LevelledCamera {
  private readonly sin: number;
  private readonly cos: number;

  /** @param tilt degrees by which the camera looks above level */
  constructor(
    private readonly camera: Intrinsics,
    tilt = 0,
  ) {
    this.sin = Math.sin((tilt * Math.PI) / 180);
    this.cos = Math.cos((tilt * Math.PI) / 180);
  }

  /** Tangents to the right and down of a pixel's ray against level. */
  direction(column: number, row: number): [right: number, down: number] {
    const { fx, fy, cx, cy } = this.camera;
    const y = (row - cy) / fy;
    const forward = this.cos + y * this.sin;
    return [(column - cx) / fx / forward, (y * this.cos - this.sin) / forward];
  }

  /** Pixel of a direction given by its tangents. */
  pixel(right: number, down: number): [column: number, row: number] {
    const { fx, fy, cx, cy } = this.camera;
    const forward = this.cos - down * this.sin;
    return [cx + (fx * right) / forward, cy + (fy * (down * this.cos + this.sin)) / forward];
  }
}
