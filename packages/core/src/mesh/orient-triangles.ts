import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { nextHalfEdge } from './topology.js';

/**
 * Turns triangles so that neighbours run along their shared edge in opposite directions, part by part over edges of two
 * triangles, the lesser number of each part turned; then closed parts so that they enclose volume from outside. O(m).
 */
export function orientTriangles(mesh: TriangleMesh): { mesh: TriangleMesh; turned: number } {
  const { indices } = mesh;
  const m = triangleCount(mesh);
  const other = edgePartners(mesh);
  const turn = new Uint8Array(m);
  const seen = new Uint8Array(m);
  let turned = 0;
  for (let from = 0; from < m; from++) {
    if (seen[from]) continue;
    seen[from] = 1;
    const part = [from];
    let closed = true;
    for (const t of part) {
      for (let k = 0; k < 3; k++) {
        const h = 3 * t + k;
        const g = other[h];
        if (g < 0) {
          closed = false;
          continue;
        }
        const u = Math.floor(g / 3);
        if (seen[u]) continue;
        seen[u] = 1;
        turn[u] = indices[h] === indices[g] ? 1 - turn[t] : turn[t];
        part.push(u);
      }
    }
    let volume = 0;
    for (const t of part) volume += (turn[t] ? -1 : 1) * signedVolume(mesh, t);
    const most = part.reduce((n, t) => n + turn[t], 0);
    // A closed part says itself what is outside; else what most triangles say holds.
    if (closed ? volume < 0 : 2 * most > part.length) for (const t of part) turn[t] = 1 - turn[t];
    for (const t of part) turned += turn[t];
  }
  if (turned === 0) return { mesh, turned };
  const out = indices.slice();
  for (let t = 0; t < m; t++) if (turn[t]) [out[3 * t + 1], out[3 * t + 2]] = [out[3 * t + 2], out[3 * t + 1]];
  return { mesh: { ...mesh, indices: out }, turned };
}

/** For each half-edge the one of the only other triangle at its edge, whichever way that runs; -1 without. */
function edgePartners(mesh: TriangleMesh): Int32Array {
  const { indices } = mesh;
  const n = vertexCount(mesh);
  const start = new Uint32Array(n + 1);
  const low = (h: number): number => Math.min(indices[h], indices[nextHalfEdge(h)]);
  const high = (h: number): number => Math.max(indices[h], indices[nextHalfEdge(h)]);
  for (let h = 0; h < indices.length; h++) start[low(h) + 1]++;
  for (let v = 0; v < n; v++) start[v + 1] += start[v];
  const cursor = start.slice(0, n);
  const list = new Uint32Array(indices.length);
  for (let h = 0; h < indices.length; h++) list[cursor[low(h)]++] = h;
  const out = new Int32Array(indices.length).fill(-1);
  for (let v = 0; v < n; v++) {
    const row = list.subarray(start[v], start[v + 1]);
    for (const h of row) {
      const same = row.filter((g) => high(g) === high(h));
      if (same.length === 2) out[h] = same[0] === h ? same[1] : same[0];
    }
  }
  return out;
}

function signedVolume({ positions: p, indices }: TriangleMesh, t: number): number {
  const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
  return (
    p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
    p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
    p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c])
  );
}
