/** Gaps in the empty support up to twice as wide are closed from their rims, pixels. */
const CLOSE_GAPS = 8;

/**
 * What a standing sensor sees of the support alone, from a few frames with nothing on it: the nearest depth of each
 * pixel over all frames. Gaps, and a band round the support, take the depth of what lies beside them; 0 is left where
 * nothing was measured far around. O(pixels · frames).
 */
export function learnEmpty(frames: readonly Float32Array[], width: number): Float32Array {
  let out = new Float32Array(frames[0]?.length ?? 0);
  for (const depth of frames) {
    for (let i = 0; i < out.length; i++) if (depth[i] > 0 && (out[i] === 0 || depth[i] < out[i])) out[i] = depth[i];
  }
  for (let round = 0; round < CLOSE_GAPS; round++) {
    const wider = out.slice();
    for (let i = 0; i < out.length; i++) {
      if (out[i] > 0) continue;
      const u = i % width;
      let nearest = 0;
      for (const j of [u > 0 ? i - 1 : i, u < width - 1 ? i + 1 : i, i - width, i + width]) {
        const z = out[j] ?? 0;
        if (z > 0 && (nearest === 0 || z < nearest)) nearest = z;
      }
      wider[i] = nearest;
    }
    out = wider;
  }
  return out;
}

/** Depths without what was there when the support was empty: all that lies less than `clearance` mm before it. O(pixels). */
export function withoutEmpty(depth: Float32Array, empty: Float32Array, clearance: number): Float32Array {
  return depth.map((z, i) => (empty[i] > 0 && z > empty[i] - clearance ? 0 : z));
}
