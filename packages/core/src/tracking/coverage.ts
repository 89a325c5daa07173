import type { Mat4, Vec3 } from '../math/mat4.js';

/** Sides of an object seen so far: sectors round it, in bands from level to above. */
export interface Coverage {
  sectors: number;
  bands: number;
  /** Frames per cell, band by band from the lowest. */
  counts: Uint32Array;
  /** Where the sensor is now. */
  sector: number;
  band: number;
}

export const COVERAGE_SECTORS = 24;
/** Upper limits of the bands, degrees above the support. */
export const COVERAGE_BANDS = [15, 35, 60, 90];

/**
 * Keeps count of the directions an object was seen from. Directions are taken about `middle`, round `up`; both in the
 * live model's frame.
 */
export class CoverageCounter {
  private readonly counts = new Uint32Array(COVERAGE_SECTORS * COVERAGE_BANDS.length);
  private readonly x: Vec3;
  private readonly y: Vec3;
  private sector = 0;
  private band = 0;

  constructor(
    readonly middle: Vec3,
    readonly up: Vec3,
    /** Direction that counts as the start of the round. */
    towards: Vec3,
  ) {
    const along = towards[0] * up[0] + towards[1] * up[1] + towards[2] * up[2];
    const flat: Vec3 = [towards[0] - along * up[0], towards[1] - along * up[1], towards[2] - along * up[2]];
    const l = Math.hypot(...flat) || 1;
    this.x = [flat[0] / l, flat[1] / l, flat[2] / l];
    this.y = [
      up[1] * this.x[2] - up[2] * this.x[1],
      up[2] * this.x[0] - up[0] * this.x[2],
      up[0] * this.x[1] - up[1] * this.x[0],
    ];
  }

  /** Counts a frame taken from a pose. */
  add(pose: Mat4): void {
    const d: Vec3 = [pose[12] - this.middle[0], pose[13] - this.middle[1], pose[14] - this.middle[2]];
    const dot = (a: Vec3): number => a[0] * d[0] + a[1] * d[1] + a[2] * d[2];
    const around = Math.atan2(dot(this.y), dot(this.x));
    const up = (Math.asin(Math.max(-1, Math.min(1, dot(this.up) / (Math.hypot(...d) || 1)))) * 180) / Math.PI;
    this.sector =
      ((Math.floor((around / (2 * Math.PI)) * COVERAGE_SECTORS) % COVERAGE_SECTORS) + COVERAGE_SECTORS) %
      COVERAGE_SECTORS;
    const found = COVERAGE_BANDS.findIndex((limit) => up < limit);
    this.band = found < 0 ? COVERAGE_BANDS.length - 1 : found;
    this.counts[this.band * COVERAGE_SECTORS + this.sector]++;
  }

  get state(): Coverage {
    return {
      sectors: COVERAGE_SECTORS,
      bands: COVERAGE_BANDS.length,
      counts: this.counts.slice(),
      sector: this.sector,
      band: this.band,
    };
  }
}
