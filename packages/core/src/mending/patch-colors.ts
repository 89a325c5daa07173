/** Sweeps after the first spread; what is left then is no longer seen. */
const SWEEPS = 60;

/**
 * Colours for the inner vertices of a patch: each the mean of its neighbours', the rim's as they are, so that no border is
 * seen and nothing sharper is claimed than the rim knows (the discrete Laplace equation, by Gauss–Seidel sweeps; P. Pérez,
 * M. Gangnet, A. Blake, 2003, Poisson image editing, is the same with gradients). O(triangles × sweeps).
 * @param rim 3 bytes for each of the first `n` vertices @param vertices of the patch in all @returns 3 bytes for each other vertex
 */
export function patchColors(rim: Uint8Array, vertices: number, triangles: ArrayLike<number>): Uint8Array {
  const n = rim.length / 3;
  const neighbours: number[][] = Array.from({ length: vertices }, () => []);
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++)
      neighbours[triangles[t + k]].push(triangles[t + ((k + 1) % 3)], triangles[t + ((k + 2) % 3)]);
  const color = new Float32Array(3 * vertices);
  color.set(rim);
  const known = new Uint8Array(vertices).fill(1, 0, n);
  const mean = (v: number): boolean => {
    let [r, g, b, count] = [0, 0, 0, 0];
    for (const w of neighbours[v]) {
      if (!known[w]) continue;
      r += color[3 * w];
      g += color[3 * w + 1];
      b += color[3 * w + 2];
      count++;
    }
    if (count === 0) return false;
    color[3 * v] = r / count;
    color[3 * v + 1] = g / count;
    color[3 * v + 2] = b / count;
    return true;
  };
  // Inwards from the rim, ring by ring.
  let front = Array.from({ length: n }, (_, v) => v);
  const order: number[] = [];
  while (front.length > 0) {
    const next = new Set<number>();
    for (const v of front) for (const w of neighbours[v]) if (!known[w]) next.add(w);
    const ring = Array.from(next).filter(mean);
    for (const v of ring) known[v] = 1;
    order.push(...ring);
    front = ring;
  }
  for (let sweep = 0; sweep < SWEEPS; sweep++) for (const v of order) mean(v);
  return Uint8Array.from(color.subarray(3 * n), Math.round);
}
