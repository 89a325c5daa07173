import { FPFH_SIZE } from '../pointcloud/fpfh.js';

/** Candidate point pairs between two described clouds, best first. */
export interface Correspondences {
  source: Uint32Array;
  target: Uint32Array;
}

/** A cloud by its key points, as indices into it, and their features. */
export interface Described {
  keypoints: Uint32Array;
  features: Float32Array;
}

/** As `matchFeatures` of two described clouds; the pairs are of points of the clouds themselves. */
export function matchKeypoints(
  source: Described,
  target: Described,
  limit: number,
  within?: { places: Float32Array; apart: number },
): Correspondences {
  const pairs = matchFeatures(source.features, target.features, limit, within);
  return {
    source: pairs.source.map((k) => source.keypoints[k]),
    target: pairs.target.map((k) => target.keypoints[k]),
  };
}

/**
 * For every source point its most similar target point and the other way round; pairs chosen from both sides come
 * first, then the rest by distance in descriptor space, up to `limit`. O(n · m).
 * @param within when a cloud is matched with itself: where its points are, and how far apart (mm) partners must be
 */
export function matchFeatures(
  source: Float32Array,
  target: Float32Array,
  limit: number,
  within?: { places: Float32Array; apart: number },
): Correspondences {
  const n = source.length / FPFH_SIZE;
  const m = target.length / FPFH_SIZE;
  const forward = new Int32Array(n).fill(-1);
  const forwardD = new Float32Array(n).fill(Infinity);
  const backward = new Int32Array(m).fill(-1);
  const backwardD = new Float32Array(m).fill(Infinity);
  for (let i = 0; i < n; i++) {
    const a = i * FPFH_SIZE;
    for (let j = 0; j < m; j++) {
      const b = j * FPFH_SIZE;
      const limitD = forwardD[i] > backwardD[j] ? forwardD[i] : backwardD[j];
      let d = 0;
      // Three partial sums of 11 bins, left early once the pair can't win on either side.
      for (let k = 0; k < 11; k++) {
        const x = source[a + k] - target[b + k];
        d += x * x;
      }
      if (d >= limitD) continue;
      for (let k = 11; k < 22; k++) {
        const x = source[a + k] - target[b + k];
        d += x * x;
      }
      if (d >= limitD) continue;
      for (let k = 22; k < 33; k++) {
        const x = source[a + k] - target[b + k];
        d += x * x;
      }
      if (within && squaredBetween(within.places, i, j) < within.apart ** 2) continue;
      if (d < forwardD[i]) {
        forwardD[i] = d;
        forward[i] = j;
      }
      if (d < backwardD[j]) {
        backwardD[j] = d;
        backward[j] = i;
      }
    }
  }
  const pairs: { s: number; t: number; d: number }[] = [];
  for (let i = 0; i < n; i++) {
    if (forward[i] < 0) continue;
    const mutual = backward[forward[i]] === i;
    pairs.push({ s: i, t: forward[i], d: mutual ? forwardD[i] - 1e9 : forwardD[i] });
  }
  for (let j = 0; j < m; j++) {
    if (backward[j] >= 0 && forward[backward[j]] !== j) pairs.push({ s: backward[j], t: j, d: backwardD[j] });
  }
  pairs.sort((a, b) => a.d - b.d);
  const count = Math.min(limit, pairs.length);
  const out = { source: new Uint32Array(count), target: new Uint32Array(count) };
  for (let k = 0; k < count; k++) {
    out.source[k] = pairs[k].s;
    out.target[k] = pairs[k].t;
  }
  return out;
}

function squaredBetween(p: Float32Array, i: number, j: number): number {
  return (p[3 * i] - p[3 * j]) ** 2 + (p[3 * i + 1] - p[3 * j + 1]) ** 2 + (p[3 * i + 2] - p[3 * j + 2]) ** 2;
}
