import type { Intrinsics } from '../geometry/depth-frame.js';
import type { Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { LevelledCamera, type Lean } from './levelled-camera.js';

/**
 * A camera, a sheet of laser light and a turning platform. The camera looks at the axis, level or leaning a little; the
 * sheet holds the axis. Frame of the stand: Z along the axis, up; its origin on the platform's top; the camera at
 * (distance, 0, height), its right along +Y.
 */
export interface LineLaserStand extends Lean {
  camera: Intrinsics;
  /** From the lens to the axis, mm. */
  distance: number;
  /** From the platform's top up to the lens, mm. */
  height: number;
  /** From the camera's direction to the sheet, seen from the axis, degrees; positive = the laser stands to the right. */
  laserAngle: number;
  /** Column of the picture, once levelled, in which the axis stands. */
  axisColumn: number;
}

/** One exact turn out of a recording. */
export interface PlatformTurn {
  /** Picture that the turn begins with. */
  first: number;
  /** Pictures in one turn; need not be whole. */
  count: number;
  /** Way of turning seen from above: 1 counter-clockwise, -1 clockwise. */
  direction: 1 | -1;
}

/** Sheets nearer than this to the camera's direction triangulate badly, degrees. */
const FLATTEST = 3;
/** Cameras that lean further are no longer those of a stand, degrees. */
const STEEPEST = 30;

/** @throws GeometryError `invalid-parameter` if lengths or angles can't be those of a stand */
export function checkStand(stand: LineLaserStand): void {
  const fault = (text: string): never => {
    throw new GeometryError('invalid-parameter', text);
  };
  if (!(stand.distance > 0)) fault('The distance from the lens to the axis must be above 0 mm.');
  if (!Number.isFinite(stand.height)) fault('The height of the lens over the platform is missing.');
  const lean = Math.max(Math.abs(stand.tilt ?? 0), Math.abs(stand.roll ?? 0));
  if (!(lean <= STEEPEST)) fault(`The camera may lean by ${STEEPEST}° at most.`);
  const angle = Math.abs(stand.laserAngle);
  if (!(angle >= FLATTEST && angle <= 90)) {
    fault(`The laser must stand between ${FLATTEST}° and 90° beside the camera; ${stand.laserAngle}° was given.`);
  }
}

/** Turns pixels of a stand's picture into points on its sheet of light, and back. */
export class SheetTriangulation {
  private readonly sin: number;
  private readonly cos: number;
  private readonly turnSin: number;
  private readonly turnCos: number;
  private readonly levelled: LevelledCamera;

  constructor(private readonly stand: LineLaserStand) {
    checkStand(stand);
    const angle = (stand.laserAngle * Math.PI) / 180;
    this.sin = Math.sin(angle);
    this.cos = Math.cos(angle);
    // A camera that sees the axis beside its middle is turned by so much.
    const aside = Math.atan((stand.axisColumn - stand.camera.cx) / stand.camera.fx);
    this.turnSin = Math.sin(aside);
    this.turnCos = Math.cos(aside);
    this.levelled = new LevelledCamera(stand.camera, stand);
  }

  /**
   * Meets the ray of a pixel with the sheet.
   * @returns false if the ray runs along the sheet or meets it behind the lens
   */
  point(column: number, row: number, out: Float64Array | Vec3): boolean {
    const { distance, height } = this.stand;
    const [x, y] = this.levelled.direction(column, row);
    const forward = x * this.turnSin + this.turnCos;
    const right = (x * this.turnCos - this.turnSin) / forward;
    const down = y / forward;
    const along = right * this.cos + this.sin;
    if (Math.abs(along) < 1e-4) return false;
    const t = (distance * this.sin) / along;
    if (!(t > 0)) return false;
    out[0] = distance - t;
    out[1] = t * right;
    out[2] = height - t * down;
    return true;
  }

  /** Pixel of a place in the stand's frame. @returns undefined if it lies behind the lens */
  pixel([x, y, z]: Vec3): [column: number, row: number] | undefined {
    const { distance, height } = this.stand;
    const t = distance - x;
    if (!(t > 0)) return undefined;
    const right = y / t;
    const down = (height - z) / t;
    const forward = this.turnCos - right * this.turnSin;
    if (!(forward > 0)) return undefined;
    return this.levelled.pixel((right * this.turnCos + this.turnSin) / forward, down / forward);
  }

  /** Signed distance from the axis along the sheet, mm: positive on the laser's side. */
  reach(x: number, y: number): number {
    return x * this.cos + y * this.sin;
  }
}

/** Degrees that the platform has turned when a picture was taken. */
export function turnedBy(turn: PlatformTurn, picture: number): number {
  return (turn.direction * 360 * (picture - turn.first)) / turn.count;
}

/** Where a place of the object should show up in the recording. */
export interface PlaceInPictures {
  /** Nearest whole picture. */
  picture: number;
  column: number;
  row: number;
  /** The place is then on the laser's side of the axis, where the light reaches it first. */
  facing: boolean;
  /** Direction of the laser light at that moment in the object's frame, unit. */
  light: Vec3;
}

/**
 * Traces a place of the object's frame, measured or a gap, back to the two pictures in which the sheet passes through
 * it: first the one in which it faces the laser.
 */
export function tracePlace(stand: LineLaserStand, turn: PlatformTurn, [x, y, z]: Vec3): PlaceInPictures[] {
  const sheet = new SheetTriangulation(stand);
  const around = (Math.atan2(y, x) * 180) / Math.PI;
  const reach = Math.hypot(x, y);
  const laser = (stand.laserAngle * Math.PI) / 180;
  return [true, false].flatMap((facing) => {
    const angle = stand.laserAngle - around + (facing ? 0 : 180);
    const share = ((((turn.direction * angle) / 360) % 1) + 1) % 1;
    const s = facing ? reach : -reach;
    const at = sheet.pixel([s * Math.cos(laser), s * Math.sin(laser), z]);
    if (!at) return [];
    const picture = turn.first + (Math.round(share * turn.count) % Math.max(1, Math.round(turn.count)));
    const back = laser - (turnedBy(turn, picture) * Math.PI) / 180;
    return [{ picture, column: at[0], row: at[1], facing, light: [-Math.cos(back), -Math.sin(back), 0] as Vec3 }];
  });
}
