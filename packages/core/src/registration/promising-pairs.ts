import { FPFH_SIZE } from '../pointcloud/fpfh.js';
import type { PreparedScan } from './prepared-scan.js';

/** Up to so many scans every pair is compared: leaving some out would save little. */
const ALL_UP_TO = 24;
/** Beyond, each scan is compared with so many that look most like it. */
const PARTNERS = 16;
/** Kinds of surroundings that are told apart, and rounds of finding them. */
const WORDS = 96;
const ROUNDS = 6;

/**
 * Which of all pairs of scans are worth comparing. Of many scans most pairs share nothing: each scan is described as a
 * whole by how often each kind of surroundings (a cluster of its features) occurs in it, kinds that are in every scan counting
 * little, and is paired with those most like it. Scans that find no place are compared with all others afterwards.
 *
 * Source: J. Sivic, A. Zisserman (2003), Video Google: a text retrieval approach to object matching in videos (words, weighted by
 * how rare they are, cosine similarity). O(features · words + scans² · words).
 *
 * @param pairs all of them, the smaller number first
 * @returns positions in `pairs`, in order
 */
export function promisingPairs(
  scans: readonly PreparedScan[],
  pairs: readonly (readonly [number, number])[],
): number[] {
  const n = scans.length;
  if (n <= ALL_UP_TO) return pairs.map((_, k) => k);
  const described = describeByWords(scans);
  const chosen = new Set<number>();
  for (let a = 0; a < n; a++) {
    const like = scans
      .map((_, b) => b)
      .filter((b) => b !== a)
      .map((b) => ({ b, similarity: dot(described[a], described[b]) }))
      .sort((p, q) => q.similarity - p.similarity || p.b - q.b);
    for (const { b } of like.slice(0, PARTNERS)) chosen.add(Math.min(a, b) * n + Math.max(a, b));
  }
  return pairs.flatMap(([a, b], k) => (chosen.has(a * n + b) ? [k] : []));
}

/** How often each word occurs in each scan, weighted, of unit length. */
function describeByWords(scans: readonly PreparedScan[]): Float64Array[] {
  const words = findWords(scans);
  const counts = scans.map(({ features }) => {
    const count = new Float64Array(WORDS);
    for (let at = 0; at < features.length; at += FPFH_SIZE) count[nearestWord(words, features, at)]++;
    return count;
  });
  const rarity = Float64Array.from({ length: WORDS }, (_, w) => {
    const having = counts.filter((c) => c[w] > 0).length;
    return having > 0 ? Math.log(1 + scans.length / having) : 0;
  });
  return counts.map((c) => {
    // Roots, so that what occurs often does not drown the rest.
    const weighted = c.map((v, w) => Math.sqrt(v) * rarity[w]);
    const length = Math.sqrt(dot(weighted, weighted)) || 1;
    return weighted.map((v) => v / length);
  });
}

/** Middles of the clusters of all scans' features (S. Lloyd 1982), begun with features taken at even steps. */
function findWords(scans: readonly PreparedScan[]): Float32Array {
  const total = scans.reduce((sum, s) => sum + s.features.length / FPFH_SIZE, 0);
  const words = new Float32Array(WORDS * FPFH_SIZE);
  let passed = 0;
  let taken = 0;
  for (const { features } of scans) {
    for (let at = 0; at < features.length; at += FPFH_SIZE, passed++) {
      if (taken < WORDS && passed >= (taken * total) / WORDS)
        words.set(features.subarray(at, at + FPFH_SIZE), FPFH_SIZE * taken++);
    }
  }
  const sums = new Float64Array(words.length);
  const members = new Uint32Array(WORDS);
  for (let round = 0; round < ROUNDS; round++) {
    sums.fill(0);
    members.fill(0);
    for (const { features } of scans) {
      for (let at = 0; at < features.length; at += FPFH_SIZE) {
        const w = nearestWord(words, features, at);
        members[w]++;
        for (let k = 0; k < FPFH_SIZE; k++) sums[FPFH_SIZE * w + k] += features[at + k];
      }
    }
    for (let i = 0; i < words.length; i++) {
      const count = members[Math.floor(i / FPFH_SIZE)];
      if (count > 0) words[i] = sums[i] / count;
    }
  }
  return words;
}

function nearestWord(words: Float32Array, features: Float32Array, at: number): number {
  let best = Infinity;
  let found = 0;
  for (let w = 0; w < WORDS; w++) {
    let d = 0;
    for (let k = 0; k < FPFH_SIZE && d < best; k++) {
      const v = words[FPFH_SIZE * w + k] - features[at + k];
      d += v * v;
    }
    if (d < best) {
      best = d;
      found = w;
    }
  }
  return found;
}

function dot(a: Float64Array, b: Float64Array): number {
  let sum = 0;
  for (let k = 0; k < a.length; k++) sum += a[k] * b[k];
  return sum;
}
