import { cross3, dot3, type Mat4 } from '../math/mat4.js';
import type { PlanarFace } from './planar-faces.js';

/** Angles between faces agree within this (radians, about 2°). */
const SAME_ANGLE = 0.035;
/** Only so many of the largest faces are tried. */
const MOST_FACES = 8;
/** Least volume of three normals that fix a place (1 = at right angles). */
const LEAST_VOLUME = 0.25;

interface Triple {
  faces: [PlanarFace, PlanarFace, PlanarFace];
  /** Angles between the first and second, first and third, second and third normal. */
  angles: [number, number, number];
  /** Signed volume of the normals: mirrored triples never match. */
  volume: number;
}

/** A placement that puts three faces onto three others, and how much of both scans lies on faces that then coincide. */
export interface FacePlacement {
  targetFromSource: Mat4;
  coinciding: number;
}

/**
 * Placements under which three flat faces of one scan lie on three of the other, best first. Flat-faced parts have
 * nothing that features could tell apart, but any three faces that aren't parallel fix a place. Distinct ones only.
 * O(faces³ · faces³) with at most eight faces of each.
 *
 * Source: K. Pathak, A. Birk, N. Vaškevičius, J. Poppinga (2010), Fast registration based on noisy planes with unknown
 * correspondences for 3-D mapping. Deviation: triples are tried, not grown; the caller verifies against the points.
 *
 * @param apart places closer than this are the same, mm
 */
export function matchFaces(
  source: readonly PlanarFace[],
  target: readonly PlanarFace[],
  apart: number,
  limit: number,
): FacePlacement[] {
  const from = triples(source.slice(0, MOST_FACES), false);
  const onto = triples(target.slice(0, MOST_FACES), true);
  const out = new Map<string, FacePlacement>();
  for (const a of from) {
    for (const b of onto) {
      if (a.volume * b.volume < 0) continue;
      if (a.angles.some((angle, k) => Math.abs(angle - b.angles[k]) > SAME_ANGLE)) continue;
      const targetFromSource = placeTriple(a, b);
      const key = placeKey(targetFromSource, a.faces[0].middle, apart);
      if (out.has(key)) continue;
      out.set(key, { targetFromSource, coinciding: coinciding(source, target, targetFromSource, apart) });
    }
  }
  return [...out.values()].sort((x, y) => y.coinciding - x.coinciding).slice(0, limit);
}

/** Triples of faces that fix a place; in every order, if asked for. */
function triples(faces: readonly PlanarFace[], ordered: boolean): Triple[] {
  const out: Triple[] = [];
  const n = faces.length;
  for (let i = 0; i < n; i++) {
    for (let j = ordered ? 0 : i + 1; j < n; j++) {
      for (let k = ordered ? 0 : j + 1; k < n; k++) {
        if (i === j || j === k || i === k) continue;
        const [a, b, c] = [faces[i].normal, faces[j].normal, faces[k].normal];
        const volume = dot3(a, cross3(b, c));
        if (Math.abs(volume) < LEAST_VOLUME) continue;
        out.push({
          faces: [faces[i], faces[j], faces[k]],
          angles: [angleOf(a, b), angleOf(a, c), angleOf(b, c)],
          volume,
        });
      }
    }
  }
  return out;
}

const angleOf = (a: ArrayLike<number>, b: ArrayLike<number>): number =>
  Math.acos(Math.max(-1, Math.min(1, dot3(a, b))));

/** The motion that turns the normals of `a` onto those of `b` (first axis exactly, then evenly) and meets its three planes. */
function placeTriple(a: Triple, b: Triple): Mat4 {
  const A = frameOf(a.faces[0].normal, a.faces[1].normal);
  const B = frameOf(b.faces[0].normal, b.faces[1].normal);
  const R = new Float64Array(9);
  for (let r = 0; r < 3; r++) {
    for (let c = 0; c < 3; c++) R[3 * c + r] = B[0][r] * A[0][c] + B[1][r] * A[1][c] + B[2][r] * A[2][c];
  }
  // normal_b · (R x + t) = offset_b wherever normal_a · x = offset_a, so normal_b · t = offset_b - offset_a.
  const [n0, n1, n2] = b.faces.map((f) => f.normal);
  const d = b.faces.map((f, k) => f.offset - a.faces[k].offset);
  const c12 = cross3(n1, n2);
  const c20 = cross3(n2, n0);
  const c01 = cross3(n0, n1);
  const det = dot3(n0, c12);
  const t = [0, 1, 2].map((k) => (d[0] * c12[k] + d[1] * c20[k] + d[2] * c01[k]) / det);
  return Float64Array.of(R[0], R[1], R[2], 0, R[3], R[4], R[5], 0, R[6], R[7], R[8], 0, t[0], t[1], t[2], 1);
}

function frameOf(a: ArrayLike<number>, b: ArrayLike<number>): [number[], number[], number[]] {
  const u = Array.from(a);
  const w = cross3(a, b);
  const length = Math.hypot(w[0], w[1], w[2]);
  const z = w.map((v) => v / length);
  return [u, cross3(z, u), z];
}

/** Share of both scans on faces that coincide at a placement. */
function coinciding(source: readonly PlanarFace[], target: readonly PlanarFace[], m: Mat4, apart: number): number {
  let share = 0;
  for (const f of source) {
    const [x, y, z] = f.normal;
    const n = [m[0] * x + m[4] * y + m[8] * z, m[1] * x + m[5] * y + m[9] * z, m[2] * x + m[6] * y + m[10] * z];
    const offset = f.offset + n[0] * m[12] + n[1] * m[13] + n[2] * m[14];
    for (const g of target) {
      const facing = n[0] * g.normal[0] + n[1] * g.normal[1] + n[2] * g.normal[2];
      if (facing > 1 - SAME_ANGLE ** 2 && Math.abs(offset - g.offset) < 0.5 * apart)
        share += Math.min(f.share, g.share);
    }
  }
  return share;
}

/** The same for placements that turn alike and bring a point to about the same place. */
function placeKey(m: Mat4, [x, y, z]: ArrayLike<number> & Iterable<number>, apart: number): string {
  const at = [0, 1, 2].map((r) => Math.round((m[r] * x + m[4 + r] * y + m[8 + r] * z + m[12 + r]) / apart));
  const turn = [0, 1, 4, 5, 8, 9].map((k) => Math.round(4 * m[k]));
  return [...at, ...turn].join();
}
