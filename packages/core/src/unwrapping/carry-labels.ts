import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexTriangles } from '../mesh/vertex-triangles.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import type { FlatRegion } from './segment-mesh.js';

/** Rounds in which borders are evened out, by edges of the lighter mesh. */
const EVENING = 3;
/** A piece of less than this share of the surface that its chart does not hold together goes to a neighbour. */
const CRUMB = 0.002;

export interface CarriedLabels {
  /** Triangles of each connected part. */
  parts: Int32Array[];
  /** The region that each part belongs to. */
  regions: Int32Array;
}

/**
 * Gives each triangle of a dense mesh the region of the nearest triangle of a lighter one, evens out the borders and parts
 * what does not hang together. O(m log m).
 */
export function carryLabels(
  mesh: TriangleMesh,
  areas: Float32Array,
  opposite: Int32Array,
  light: TriangleMesh,
  regions: readonly FlatRegion[],
): CarriedLabels {
  const ofLight = new Int32Array(light.indices.length / 3);
  regions.forEach(({ patch }, r) => patch.triangles.forEach((t) => (ofLight[t] = r)));
  const label = mesh.indices.length === light.indices.length ? ofLight : nearestLabels(mesh, light, ofLight);
  evenBorders(mesh, label, opposite, Math.ceil(EVENING * Math.sqrt(label.length / ofLight.length)));
  let parts = connectedParts(label, opposite);
  for (let round = 0; round < 5; round++) {
    if (!absorbCrumbs(label, parts, areas, opposite)) break;
    parts = connectedParts(label, opposite);
  }
  return { parts, regions: Int32Array.from(parts, (p) => label[p[0]]) };
}

function nearestLabels({ positions: p, indices }: TriangleMesh, light: TriangleMesh, ofLight: Int32Array): Int32Array {
  const bvh = new TriangleBvh(light);
  const label = new Int32Array(indices.length / 3);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  for (let t = 0; t < label.length; t++) {
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    bvh.closest(
      (p[a] + p[b] + p[c]) / 3,
      (p[a + 1] + p[b + 1] + p[c + 1]) / 3,
      (p[a + 2] + p[b + 2] + p[c + 2]) / 3,
      Infinity,
      hit,
    );
    label[t] = ofLight[hit.triangle];
  }
  return label;
}

/**
 * Evens out the borders: a triangle goes over to the chart that most triangles around its corners belong to, which shortens
 * borders as a taut string would. O(triangles at borders) a round.
 */
function evenBorders(mesh: TriangleMesh, label: Int32Array, opposite: Int32Array, rounds: number): void {
  const { start, list } = vertexTriangles(mesh);
  const isBorder = (t: number): boolean => {
    for (let k = 0; k < 3; k++) {
      const h = opposite[3 * t + k];
      if (h >= 0 && label[Math.floor(h / 3)] !== label[t]) return true;
    }
    return false;
  };
  let border: number[] = [];
  for (let t = 0; t < label.length; t++) if (isBorder(t)) border.push(t);
  const votes = new Map<number, number>();
  for (let round = 0; round < rounds && border.length > 0; round++) {
    const changed: number[] = [];
    const to: number[] = [];
    for (const t of border) {
      votes.clear();
      for (let k = 0; k < 3; k++) {
        const v = mesh.indices[3 * t + k];
        for (let i = start[v]; i < start[v + 1]; i++) {
          const l = label[list[i]];
          votes.set(l, (votes.get(l) ?? 0) + 1);
        }
      }
      let best = label[t];
      votes.forEach((n, l) => {
        if (n > votes.get(best)!) best = l;
      });
      if (best === label[t]) continue;
      changed.push(t);
      to.push(best);
    }
    changed.forEach((t, i) => (label[t] = to[i]));
    const next = new Set<number>();
    for (const t of changed) {
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * t + k];
        if (h >= 0) next.add(Math.floor(h / 3));
      }
      next.add(t);
    }
    for (const t of border) next.add(t);
    border = [...next].filter(isBorder);
  }
}

function connectedParts(label: Int32Array, opposite: Int32Array): Int32Array[] {
  const seen = new Uint8Array(label.length);
  const parts: Int32Array[] = [];
  const list = new Int32Array(label.length);
  for (let s = 0; s < label.length; s++) {
    if (seen[s]) continue;
    seen[s] = 1;
    let count = 0;
    list[count++] = s;
    for (let at = 0; at < count; at++) {
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * list[at] + k];
        if (h < 0) continue;
        const u = Math.floor(h / 3);
        if (seen[u] || label[u] !== label[s]) continue;
        seen[u] = 1;
        list[count++] = u;
      }
    }
    parts.push(list.slice(0, count));
  }
  return parts;
}

/** Gives small parts to the neighbour they share most edges with. @returns whether any changed */
function absorbCrumbs(label: Int32Array, parts: Int32Array[], areas: Float32Array, opposite: Int32Array): boolean {
  const whole = areas.reduce((s, a) => s + a, 0);
  const area = parts.map((part) => part.reduce((s, t) => s + areas[t], 0));
  const largest = new Map<number, number>();
  parts.forEach((part, i) => largest.set(label[part[0]], Math.max(area[i], largest.get(label[part[0]]) ?? 0)));
  let any = false;
  parts.forEach((part, i) => {
    const own = label[part[0]];
    if (area[i] >= CRUMB * whole || area[i] === largest.get(own)) return;
    const votes = new Map<number, number>();
    for (const t of part) {
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * t + k];
        const other = h < 0 ? own : label[Math.floor(h / 3)];
        if (other !== own) votes.set(other, (votes.get(other) ?? 0) + 1);
      }
    }
    let best = -1;
    votes.forEach((n, l) => {
      if (best < 0 || n > votes.get(best)!) best = l;
    });
    if (best < 0) return;
    for (const t of part) label[t] = best;
    any = true;
  });
  return any;
}
