/** Working range of a sensor, mm. */
export interface WorkingRange {
  near: number;
  best: number;
  far: number;
}

/** How the distances of one frame lie in the working range. */
export interface StandOff {
  /** Pixels by distance, in equal steps from `from` to `to`. */
  histogram: Uint32Array;
  /** mm. */
  from: number;
  to: number;
  /** Middle of the measured distances, mm; NaN if nothing was measured. */
  median: number;
  word: 'near' | 'good' | 'far' | 'nothing';
}

export const STAND_OFF_BINS = 48;

/**
 * Distribution of a depth image's distances over the working range and a quarter more on both sides. O(pixels).
 * @param region share of the width and height about the middle that counts: what the operator aims at
 */
export function measureStandOff(
  depth: Float32Array,
  width: number,
  height: number,
  range: WorkingRange,
  region = 0.7,
): StandOff {
  const margin = 0.25 * (range.far - range.near);
  const from = Math.max(0, range.near - margin);
  const to = range.far + margin;
  const histogram = new Uint32Array(STAND_OFF_BINS);
  const scale = STAND_OFF_BINS / (to - from);
  const u0 = Math.floor((width * (1 - region)) / 2);
  const v0 = Math.floor((height * (1 - region)) / 2);
  let count = 0;
  for (let v = v0; v < height - v0; v++) {
    for (let u = u0; u < width - u0; u++) {
      const z = depth[v * width + u];
      if (!(z > 0)) continue;
      const bin = Math.floor((z - from) * scale);
      histogram[bin < 0 ? 0 : bin >= STAND_OFF_BINS ? STAND_OFF_BINS - 1 : bin]++;
      count++;
    }
  }
  let before = 0;
  let bin = 0;
  while (bin < STAND_OFF_BINS && before + histogram[bin] < count / 2) before += histogram[bin++];
  const median = count > 0 ? from + (bin + (count / 2 - before) / Math.max(1, histogram[bin])) / scale : NaN;
  // Near and far begin where a fifth of the way from the best distance to the limit is left.
  const nearEdge = range.near + 0.2 * (range.best - range.near);
  const farEdge = range.far - 0.2 * (range.far - range.best);
  const word = count === 0 ? 'nothing' : median < nearEdge ? 'near' : median > farEdge ? 'far' : 'good';
  return { histogram, from, to, median, word };
}

/** Shares of a frame that brought nothing, and why. */
export interface ExposureShares {
  /** Over-exposed, of all pixels that see something. */
  burnt: number;
  /** Without depth though neither over-exposed nor empty. */
  missing: number;
}

/** Judges a frame's exposure; a pixel sees something if the sensor's own picture is brighter than 8 of 255. O(pixels). */
export function measureExposure(depth: Float32Array, infrared: Uint8Array): ExposureShares {
  let seeing = 0;
  let burnt = 0;
  let missing = 0;
  for (let i = 0; i < infrared.length; i++) {
    if (infrared[i] <= 8 && !(depth[i] > 0)) continue;
    seeing++;
    if (infrared[i] === 255) burnt++;
    else if (!(depth[i] > 0)) missing++;
  }
  return seeing > 0 ? { burnt: burnt / seeing, missing: missing / seeing } : { burnt: 0, missing: 0 };
}
