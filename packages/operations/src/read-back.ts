import { boundsOf, triangleCount, type TriangleMesh } from '@amber-knit/core/geometry';
import type { OutputFile } from './operation.js';
import { UNITS, type Unit } from './units.js';

/** What a written file says when it is read again. */
export interface ReadBack {
  triangles: number;
  /** Longest side, mm. */
  size: number;
  closed: boolean;
}

/** Floats of 32 bits hold seven digits; units and text take one or two of them. */
const ROUNDING = 2e-6;

/**
 * Reads a written mesh file again and compares it with the mesh: number of triangles, where it lies (in mm), whether it is
 * closed. A fault in writing must never leave the house.
 * @param within how far places may lie off because the format rounds them, mm
 * @throws Error that says what differs
 */
export async function assertReadsBack(file: OutputFile, mesh: TriangleMesh, unit: Unit, within = 0): Promise<ReadBack> {
  const { readScanFiles } = await import('@amber-knit/core/io');
  const { inspectTopology, weldVertices } = await import('@amber-knit/core/mesh');
  const [read] = await readScanFiles(file.bytes, file.name);
  const indices = read.indices ?? new Uint32Array(0);
  // Triangles that name a vertex twice may be left out: some formats forbid them.
  const least = countSound(mesh.indices);
  const count = indices.length / 3;
  if (count < least || count > triangleCount(mesh))
    throw new Error(`${file.name} holds ${count} triangles instead of ${triangleCount(mesh)}; it was not kept`);
  const factor = read.inMillimetres ? 1 : UNITS[unit];
  const [is, was] = [boundsOf(read.positions), boundsOf(mesh.positions)];
  const reach = Math.max(...was.max.map(Math.abs), ...was.min.map(Math.abs));
  for (let k = 0; k < 3; k++) {
    const off = Math.max(Math.abs(is.min[k] * factor - was.min[k]), Math.abs(is.max[k] * factor - was.max[k]));
    if (!(off <= Math.max(ROUNDING * reach, 1e-6, within)))
      throw new Error(`${file.name} lies off by ${off.toPrecision(2)} mm; it was not kept`);
  }
  const welded = (m: TriangleMesh): boolean => inspectTopology(weldVertices(m)).watertight;
  const closed = welded({ positions: read.positions, indices });
  // Where places are rounded on purpose, what is narrower than that may come together.
  if (within === 0 && closed !== welded({ positions: mesh.positions, indices: mesh.indices }))
    throw new Error(
      `${file.name} is ${closed ? 'closed, the surface is not' : 'not closed, the surface is'}; it was not kept`,
    );
  return { triangles: count, size: factor * Math.max(...is.max.map((v, k) => v - is.min[k])), closed };
}

function countSound(indices: Uint32Array): number {
  let n = 0;
  for (let t = 0; t < indices.length; t += 3)
    if (indices[t] !== indices[t + 1] && indices[t + 1] !== indices[t + 2] && indices[t + 2] !== indices[t]) n++;
  return n;
}
