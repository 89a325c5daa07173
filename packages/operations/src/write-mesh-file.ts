import {
  KNOWN_ATTRIBUTES,
  vertexCount,
  type LightModel,
  type TexturedMesh,
  type TriangleMesh,
} from '@amber-knit/core/geometry';
import type { PlyContent } from '@amber-knit/core/io';
import { GeometryError } from '@amber-knit/core/runtime';
import type { OutputFile } from './operation.js';
import { UNITS, type Unit } from './units.js';

/** Formats that a surface can be written in. */
export type MeshFormat = 'glb' | '3mf' | 'ply' | 'stl' | 'obj' | 'off';

/** Of these, those that bring a map along. */
export const CARRIES_MAP: readonly MeshFormat[] = ['glb', '3mf', 'obj'];

export interface MeshFileChoice {
  name: string;
  format: MeshFormat;
  unit: Unit;
}

/** A name that any file system takes, without ending. */
export function fileBase(name: string): string {
  const plain = name.replace(/[^\p{L}\p{N} ._-]/gu, '').trim();
  return plain.slice(0, 80) || 'mesh';
}

/** What the vertices know as properties of a PLY file, and the comments that say what they mean. */
function knownColumns(mesh: TriangleMesh, factor: number, unit: Unit): Pick<PlyContent, 'extra' | 'comments'> {
  const extra: NonNullable<PlyContent['extra']> = {};
  const comments = [`unit ${unit}`, 'Z up'];
  const n = vertexCount(mesh);
  for (const { name, ply, isLength, meaning } of KNOWN_ATTRIBUTES) {
    const known = mesh[name];
    if (!known) continue;
    const words = known.length / n;
    if (name !== 'scanBits') extra[ply] = isLength && factor !== 1 ? known.map((v) => v * factor) : known;
    else
      for (let k = 0; k < words; k++)
        extra[`${ply}_${k}`] = Uint32Array.from({ length: n }, (_, i) => known[words * i + k]);
    comments.push(`${ply}: ${meaning}${isLength ? `, ${unit}; nan where nothing was measured` : ''}`);
  }
  const oneLine = (text: string): string => text.replace(/\s+/g, ' ');
  return {
    extra,
    comments: [
      ...comments,
      ...(mesh.scanNames ?? []).map((s, k) => `scan ${k}: ${oneLine(s)}`),
      ...(mesh.pictures ?? []).map(
        ({ scan, frame }, k) => `picture ${k}: ${JSON.stringify(scan)}, ${JSON.stringify(frame)}`,
      ),
    ],
  };
}

/** Writes a mesh in one of the export formats. */
export async function writeMeshFile(
  mesh: TriangleMesh | TexturedMesh | LightModel,
  p: MeshFileChoice,
): Promise<OutputFile> {
  const { write3mf, writeGlb, writeObj, writeObjZip, writeOff, writePly, writeStl } =
    await import('@amber-knit/core/io');
  const base = fileBase(p.name);
  if (p.format === 'glb')
    return { name: `${base}.glb`, mediaType: 'model/gltf-binary', bytes: await writeGlb(mesh, base) };
  const factor = 1 / UNITS[p.unit];
  const positions = factor === 1 ? mesh.positions : mesh.positions.map((v) => v * factor);
  if (p.format === 'ply') {
    const bytes = writePly({
      positions,
      normals: mesh.normals,
      colors: mesh.colors,
      indices: mesh.indices,
      ...knownColumns(mesh, factor, p.unit),
    });
    return { name: `${base}.ply`, mediaType: 'application/octet-stream', bytes };
  }
  if (p.format === 'stl')
    return { name: `${base}.stl`, mediaType: 'model/stl', bytes: writeStl({ positions, indices: mesh.indices }, base) };
  if (p.format === 'off')
    return { name: `${base}.off`, mediaType: 'text/plain', bytes: writeOff({ ...mesh, positions }, p.unit) };
  if (p.format === '3mf')
    return { name: `${base}.3mf`, mediaType: 'model/3mf', bytes: write3mf({ ...mesh, positions }, base, p.unit) };
  if (p.format === 'obj' && 'cornerUvs' in mesh)
    return {
      name: `${base}.zip`,
      mediaType: 'application/zip',
      bytes: writeObjZip({ ...mesh, positions }, base, p.unit, factor),
    };
  if (p.format === 'obj') {
    const { obj } = writeObj(
      { positions, indices: mesh.indices, normals: mesh.normals, colors: mesh.colors },
      base,
      undefined,
      p.unit,
    );
    return { name: `${base}.obj`, mediaType: 'model/obj', bytes: obj };
  }
  throw new GeometryError('unsupported-format', `Format "${String(p.format)}" can't be written.`);
}
