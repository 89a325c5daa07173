import { conjugateGradient } from '../math/solve.js';

/**
 * Moves the free vertices of a small mesh so that it continues its fixed surroundings: first as a membrane (Laplacian
 * zero), then, if `order` is 2, as a thin plate (squared Laplacian least), which also takes over the slope at the rim.
 * Neighbours weigh by the inverse of their distance (scale-dependent umbrella, K. Fujiwara, 1995, Eigenvalues of
 * Laplacians on a closed Riemannian manifold and its nets), so that uneven triangles do not bend the patch; solved by
 * conjugate gradients. Positions are changed in place.
 *
 * Source: L. Kobbelt, S. Campagna, J. Vorsatz, H.-P. Seidel (1998), Interactive multi-resolution modeling on arbitrary
 * meshes (discrete fairing).
 *
 * @param free 1 for vertices that may move; the others must include two rings around them for order 2
 */
export function fairInPlace(
  positions: Float64Array,
  triangles: ArrayLike<number>,
  free: Uint8Array,
  order: 1 | 2,
): void {
  const n = free.length;
  const { start, list } = vertexNeighbours(triangles, n);
  const unknown = new Int32Array(n).fill(-1);
  let m = 0;
  for (let v = 0; v < n; v++) if (free[v] && start[v + 1] > start[v]) unknown[v] = m++;
  if (m === 0) return;
  const vertexOf = new Int32Array(m);
  for (let v = 0; v < n; v++) if (unknown[v] >= 0) vertexOf[unknown[v]] = v;

  const full = new Float64Array(n);
  const lap = new Float64Array(n);
  const weight = new Float64Array(list.length);
  // A row stands for an area of about h²: the plate's energy is the sum of (L x / h)².
  const scale = new Float64Array(n).fill(1);
  const measureWeights = (): void => {
    for (let v = 0; v < n; v++) {
      let total = 0;
      for (let i = start[v]; i < start[v + 1]; i++) {
        const w = 3 * list[i];
        const d = Math.hypot(
          positions[3 * v] - positions[w],
          positions[3 * v + 1] - positions[w + 1],
          positions[3 * v + 2] - positions[w + 2],
        );
        weight[i] = 1 / Math.max(d, 1e-6);
        total += weight[i];
      }
      if (total > 0) scale[v] = total / (start[v + 1] - start[v]);
      for (let i = start[v]; i < start[v + 1]; i++) weight[i] /= total;
    }
  };
  // L x = x − weighted mean of neighbours, for the vertices whose row counts.
  const applyL = (x: Float64Array, y: Float64Array): void => {
    for (let v = 0; v < n; v++) {
      y[v] = 0;
      if (!active[v]) continue;
      let s = 0;
      for (let i = start[v]; i < start[v + 1]; i++) s += weight[i] * x[list[i]];
      y[v] = (x[v] - s) * scale[v];
    }
  };
  const applyLt = (x: Float64Array, y: Float64Array): void => {
    y.fill(0);
    for (let v = 0; v < n; v++) {
      if (!active[v]) continue;
      const r = x[v] * scale[v];
      y[v] += r;
      for (let i = start[v]; i < start[v + 1]; i++) y[list[i]] -= weight[i] * r;
    }
  };
  const active = new Uint8Array(n);
  const tmp = new Float64Array(n);
  // Normal equations LᵀL: for order 1 only the free rows count, for order 2 also their neighbours' rows.
  for (let pass = 1; pass <= order; pass++) {
    measureWeights();
    for (let v = 0; v < n; v++) {
      active[v] = unknown[v] >= 0 ? 1 : 0;
      if (pass === 2 && !active[v]) {
        for (let i = start[v]; i < start[v + 1]; i++) if (unknown[list[i]] >= 0) active[v] = 1;
      }
    }
    const diagonal = new Float64Array(m);
    for (let v = 0; v < n; v++) {
      if (!active[v]) continue;
      if (unknown[v] >= 0) diagonal[unknown[v]] += scale[v] ** 2;
      for (let i = start[v]; i < start[v + 1]; i++)
        if (unknown[list[i]] >= 0) diagonal[unknown[list[i]]] += (weight[i] * scale[v]) ** 2;
    }
    const operator = (x: Float64Array, y: Float64Array): void => {
      full.fill(0);
      for (let k = 0; k < m; k++) full[vertexOf[k]] = x[k];
      applyL(full, lap);
      applyLt(lap, tmp);
      for (let k = 0; k < m; k++) y[k] = tmp[vertexOf[k]];
    };
    for (let axis = 0; axis < 3; axis++) {
      full.fill(0);
      for (let v = 0; v < n; v++) if (unknown[v] < 0) full[v] = positions[3 * v + axis];
      applyL(full, lap);
      applyLt(lap, tmp);
      const b = new Float64Array(m);
      const x = new Float64Array(m);
      for (let k = 0; k < m; k++) {
        b[k] = -tmp[vertexOf[k]];
        x[k] = positions[3 * vertexOf[k] + axis];
      }
      conjugateGradient(operator, diagonal, b, x, 800, 1e-6);
      for (let k = 0; k < m; k++) positions[3 * vertexOf[k] + axis] = x[k];
    }
  }
}

/** Neighbours of each vertex, each once: `list[start[v]..start[v+1]]`. */
export function vertexNeighbours(
  triangles: ArrayLike<number>,
  vertices: number,
): { start: Uint32Array; list: Uint32Array } {
  // Counted and laid into one row per vertex, each edge from both of its triangles; then every row without repeats.
  const end = new Uint32Array(vertices + 1);
  const each = (act: (a: number, b: number) => void): void => {
    for (let t = 0; t < triangles.length; t += 3) {
      for (let k = 0; k < 3; k++) {
        const a = triangles[t + k];
        const b = triangles[t + ((k + 1) % 3)];
        act(a, b);
        act(b, a);
      }
    }
  };
  each((a) => end[a + 1]++);
  for (let v = 0; v < vertices; v++) end[v + 1] += end[v];
  const cursor = end.slice(0, vertices);
  const list = new Uint32Array(end[vertices]);
  each((a, b) => (list[cursor[a]++] = b));
  const start = new Uint32Array(vertices + 1);
  let kept = 0;
  for (let v = 0; v < vertices; v++) {
    const row = list.subarray(end[v], end[v + 1]).sort();
    for (let i = 0; i < row.length; i++) if (i === 0 || row[i] !== row[i - 1]) list[kept++] = row[i];
    start[v + 1] = kept;
  }
  return { start, list: list.slice(0, kept) };
}
