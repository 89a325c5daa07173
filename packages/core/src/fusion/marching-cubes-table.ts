/**
 * Triangle table of marching cubes, generated instead of copied. Corner c of a cell lies at (c & 1, (c >> 1) & 1,
 * c >> 2); bit c of a case is set when the corner is inside. Edges are numbered 0–11: four along x, four along y,
 * four along z.
 *
 * On a face whose inside corners lie diagonally, each inside corner is cut off by itself. The rule looks at that face
 * alone, so that both cells sharing the face agree and the surface has no cracks.
 * Source of the idea: W. Lorensen, H. Cline (1987), Marching cubes; C. Montani, R. Scateni, R. Scopigno (1994), A
 * modified look-up table for implicit disambiguation of marching cubes.
 */

/** The two corners of each edge, lower corner first. */
export const EDGE_CORNERS: readonly (readonly [number, number])[] = (() => {
  const edges: [number, number][] = [];
  for (let axis = 0; axis < 3; axis++) {
    for (let c = 0; c < 8; c++) if (!(c & (1 << axis))) edges.push([c, c | (1 << axis)]);
  }
  return edges;
})();

/** Corners of each face, counter-clockwise seen from outside the cell. */
const FACES = [
  [0, 4, 6, 2],
  [1, 3, 7, 5],
  [0, 1, 5, 4],
  [2, 6, 7, 3],
  [0, 2, 3, 1],
  [4, 5, 7, 6],
];

function edgeBetween(a: number, b: number): number {
  const low = Math.min(a, b);
  const high = Math.max(a, b);
  return EDGE_CORNERS.findIndex(([p, q]) => p === low && q === high);
}

const EDGE_FACES: number[][] = EDGE_CORNERS.map(([a, b]) =>
  FACES.flatMap((f, i) => (f.includes(a) && f.includes(b) ? [i] : [])),
);

function trianglesOf(cell: number): number[] {
  const inside = (c: number): boolean => (cell & (1 << c)) !== 0;
  // Directed segments on the faces, inside on the left seen from outside the cell: next[edge] = following edge.
  const next = new Int8Array(12).fill(-1);
  for (const face of FACES) {
    for (let k = 0; k < 4; k++) {
      // Walking the face, the surface is entered where we go from inside to outside …
      const a = face[k];
      const b = face[(k + 1) % 4];
      if (!inside(a) || inside(b)) continue;
      // … and left where, walking back, this run of inside corners began.
      let j = k;
      while (inside(face[(j + 3) % 4])) j = (j + 3) % 4;
      next[edgeBetween(face[(j + 3) % 4], face[j])] = edgeBetween(a, b);
    }
  }
  const triangles: number[] = [];
  const done = new Uint8Array(12);
  for (let e = 0; e < 12; e++) {
    if (next[e] < 0 || done[e]) continue;
    const loop: number[] = [];
    for (let f = e; !done[f]; f = next[f]) {
      done[f] = 1;
      loop.push(f);
    }
    // Fan from the vertex with the fewest diagonals that lie in a face: such a diagonal may meet its twin next door.
    let root = 0;
    let fewest = Infinity;
    for (let r = 0; r < loop.length; r++) {
      let flat = 0;
      for (let k = 2; k < loop.length - 1; k++) {
        const other = loop[(r + k) % loop.length];
        if (EDGE_FACES[loop[r]].some((f) => EDGE_FACES[other].includes(f))) flat++;
      }
      if (flat < fewest) {
        fewest = flat;
        root = r;
      }
    }
    for (let k = 1; k + 1 < loop.length; k++) {
      triangles.push(loop[root], loop[(root + k) % loop.length], loop[(root + k + 1) % loop.length]);
    }
  }
  return triangles;
}

/** For each of the 256 cases the edges of its triangles, three each, counter-clockwise seen from outside (positive side). */
export const TRIANGLE_TABLE: readonly Uint8Array[] = Array.from({ length: 256 }, (_, cell) =>
  Uint8Array.from(trianglesOf(cell)),
);
