import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { LIGHT_OF_SRGB } from '../geometry/srgb.js';
import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';

const SWEEPS = 30;
/**
 * Nearer than this share of the size to what no view sees, views mix in what stands before it: there the colour of what
 * lies farther in counts. Common practice, no source.
 */
const BESIDE = 0.015;
/** How much a seen place counts against one neighbour: right at the border, and so far from it that it stays as it is. */
const LEAST_OWN = 1e-4;
const MOST_OWN = 100;
/** Of a body that no view sees at all and that has no colours. */
const PLAIN = 0.3;

/**
 * Light of the paint at all vertices: where the views agreed it is theirs, elsewhere it goes on from around over the surface, as
 * evenly as it can; close to the border of what views see it comes from farther in. Where scans measured colours at points,
 * those show through: only how they differ from the views' is carried on. What nobody measured continues the points' colours
 * first. O(sweeps · unseen).
 *
 * Source: the membrane of P. Pérez, M. Gangnet, A. Blake (2003), Poisson image editing, on a surface.
 */
export function fillUnseen(mesh: TriangleMesh, paint: Float32Array): Float32Array {
  const n = vertexCount(mesh);
  const { colors, invented } = mesh;
  const graph = edgesOf(mesh);
  // Logarithm of the points' colours; none stands for even grey.
  const own = new Float32Array(3 * n);
  if (colors) {
    for (let i = 0; i < own.length; i++) own[i] = Math.log(Math.max(0.004, LIGHT_OF_SRGB[colors[i]]));
    if (invented)
      spread(
        graph,
        own,
        Float32Array.from(invented, (made) => (made ? 0 : MOST_OWN)),
      );
  }
  const known = new Uint8Array(n);
  for (let v = 0; v < n; v++) if (paint[3 * v] > 0) known[v] = 1;
  const weight = ownWeights(mesh, known, graph);
  // How much brighter the views are than the points, carried from the seen vertices outwards.
  const carried = new Float32Array(3 * n);
  for (let v = 0; v < n; v++)
    if (known[v])
      for (let k = 0; k < 3; k++) carried[3 * v + k] = Math.log(Math.max(1e-4, paint[3 * v + k])) - own[3 * v + k];
  const reached = spread(graph, carried, weight);
  const out = paint.slice();
  for (let v = 0; v < n; v++) {
    if (weight[v] >= MOST_OWN) continue;
    for (let k = 0; k < 3; k++) {
      // Pieces that no view sees keep their own colours, or a plain one.
      const alone = colors && !invented?.[v] ? Math.exp(own[3 * v + k]) : PLAIN;
      out[3 * v + k] = reached[v] ? Math.exp(own[3 * v + k] + carried[3 * v + k]) : alone;
    }
  }
  return out;
}

/** Which vertices each vertex shares edges with; both triangles of an edge name it. */
interface Edges {
  /** First place in the list of each vertex, one more than there are vertices. */
  first: Uint32Array;
  list: Uint32Array;
}

function edgesOf({ positions, indices }: TriangleMesh): Edges {
  const n = positions.length / 3;
  const first = new Uint32Array(n + 1);
  for (const v of indices) first[v + 1] += 2;
  for (let v = 0; v < n; v++) first[v + 1] += first[v];
  const cursor = first.slice(0, n);
  const list = new Uint32Array(2 * indices.length);
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h];
    list[cursor[v]++] = indices[h % 3 === 2 ? h - 2 : h + 1];
    list[cursor[v]++] = indices[h % 3 === 0 ? h + 2 : h - 1];
  }
  return { first, list };
}

/**
 * Spreads values (three a vertex) evenly over a surface, in place: those of weight `MOST_OWN` stay, those of less give way to
 * their neighbours, those of none take what comes.
 * @returns 1 for each vertex that something reached
 */
function spread({ first, list }: Edges, values: Float32Array, weight: Float32Array): Uint8Array {
  const n = weight.length;
  const own = values.slice();
  const reached = new Uint8Array(n);
  const order: number[] = [];
  const sources: number[] = [];
  const yielding: number[] = [];
  for (let v = 0; v < n; v++) if (weight[v] > 0) (weight[v] < MOST_OWN ? yielding : sources).push(v);
  const reach = (from: number[]): void => {
    for (const v of from) reached[v] = 1;
    for (let front = from; front.length > 0;) {
      const next: number[] = [];
      for (const v of front) {
        for (let e = first[v]; e < first[v + 1]; e++) {
          const w = list[e];
          if (reached[w]) continue;
          reached[w] = 2;
          next.push(w);
        }
      }
      for (const w of next) {
        let count = 0;
        const sum = [0, 0, 0];
        for (let e = first[w]; e < first[w + 1]; e++) {
          if (reached[list[e]] !== 1) continue;
          count++;
          for (let k = 0; k < 3; k++) sum[k] += values[3 * list[e] + k];
        }
        for (let k = 0; k < 3; k++) values[3 * w + k] = sum[k] / Math.max(1, count);
      }
      for (const w of next) {
        reached[w] = 1;
        order.push(w);
      }
      front = next;
    }
  };
  reach(sources);
  // Pieces that have nothing that stays go on from what there is.
  const alone = yielding.filter((v) => !reached[v]);
  reach(alone);
  order.push(...alone);
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    for (let i = 0; i < order.length; i++) {
      const w = sweep % 2 ? order[order.length - 1 - i] : order[i];
      const count = first[w + 1] - first[w];
      const ownShare = weight[w] * count;
      for (let k = 0; k < 3; k++) {
        let sum = ownShare * own[3 * w + k];
        for (let e = first[w]; e < first[w + 1]; e++) sum += values[3 * list[e] + k];
        values[3 * w + k] = sum / (count + ownShare);
      }
    }
  }
  return reached;
}

/** How much each vertex's own value counts against one neighbour's: nothing where it is not known, all where it stays as it is. */
function ownWeights(mesh: TriangleMesh, known: Uint8Array, { first, list }: Edges): Float32Array {
  const p = mesh.positions;
  const within = BESIDE * diagonalOf(boundsOf(p));
  const weight = Float32Array.from(known, (k) => (k ? MOST_OWN : 0));
  // Distance along edges from what is not known, ring after ring.
  const distance = new Float32Array(known.length).fill(Infinity);
  let front: number[] = [];
  known.forEach((k, v) => {
    if (k) return;
    distance[v] = 0;
    front.push(v);
  });
  while (front.length > 0) {
    const next: number[] = [];
    for (const v of front) {
      for (let e = first[v]; e < first[v + 1]; e++) {
        const w = list[e];
        if (!known[w]) continue;
        const d =
          distance[v] + Math.hypot(p[3 * w] - p[3 * v], p[3 * w + 1] - p[3 * v + 1], p[3 * w + 2] - p[3 * v + 2]);
        if (d >= within || d >= distance[w]) continue;
        distance[w] = d;
        weight[w] = LEAST_OWN * (MOST_OWN / LEAST_OWN) ** (d / within);
        next.push(w);
      }
    }
    front = next;
  }
  return weight;
}
