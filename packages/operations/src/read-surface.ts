import type { TriangleMesh } from '@amber-knit/core/geometry';
import type { Bytes } from '@amber-knit/core/io';
import { GeometryError } from '@amber-knit/core/runtime';
import { assertPlausibleUnit } from './read-scans.js';
import { UNITS, type Unit } from './units.js';

/**
 * Reads the one surface of a file into millimetres: corners at the same place joined, triangles turned alike, what was
 * corrected told in notes. Of its map, if it has one, the colours at the vertices are taken.
 * @param unit `auto` takes millimetres unless the size speaks against it @param expected its longest side as planned, mm; 0 = not known
 * @throws GeometryError that names the fault: a broken file, none or several surfaces, points alone; `unit-doubtful` with the
 * fact `across`
 */
export async function surfaceFromFile(
  bytes: Bytes,
  fileName: string,
  unit: Unit | 'auto' = 'mm',
  expected = 0,
): Promise<{ mesh: TriangleMesh; notes: string[] }> {
  const { readScanFiles } = await import('@amber-knit/core/io');
  const { KNOWN_ATTRIBUTES, knowledgeOf } = await import('@amber-knit/core/geometry');
  const { orientTriangles, weldVertices } = await import('@amber-knit/core/mesh');
  const files = await readScanFiles(bytes, fileName);
  if (files.length !== 1)
    throw new GeometryError(
      'unsupported-format',
      `${fileName} holds ${files.length} surfaces. Give one file for each.`,
    );
  const [file] = files;
  if (!file.indices || file.indices.length === 0)
    throw new GeometryError('empty-input', `${fileName} holds points without triangles. Fuse scans to get a surface.`);
  if (unit === 'auto') assertPlausibleUnit(files, expected);
  const factor = file.inMillimetres || unit === 'auto' ? 1 : UNITS[unit];
  const soup: TriangleMesh = {
    positions: factor === 1 ? file.positions : file.positions.map((x) => x * factor),
    indices: file.indices,
    ...(file.colors ? { colors: file.colors } : {}),
    ...knowledgeOf(file),
  };
  for (const { name, isLength } of KNOWN_ATTRIBUTES)
    if (isLength && factor !== 1 && soup[name]) Object.assign(soup, { [name]: soup[name].map((v) => v * factor) });
  const welded = weldVertices(soup);
  if (welded.indices.length === 0)
    throw new GeometryError('empty-input', `${fileName} holds no triangle with an area. Export it again.`);
  const { mesh, turned } = orientTriangles(welded);
  const notes = file.notes.slice();
  const joined = (soup.positions.length - welded.positions.length) / 3;
  if (joined > 0) notes.push(`${joined} vertices joined with others at the same place, or used by no triangle.`);
  if (turned > 0) notes.push(`${turned} triangles turned over to match their neighbours.`);
  return { mesh, notes };
}
