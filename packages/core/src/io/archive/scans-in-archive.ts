import { GeometryError } from '../../runtime/geometry-error.js';
import { decodeColor } from '../../stored/color-image.js';
import { allBytes, type Bytes } from '../byte-source.js';
import { colorsFromMap, type Paint } from '../map-colors.js';
import { readMtl, type ObjMaterial } from '../obj/read-mtl.js';
import type { ScanFile } from '../scan-file.js';

/** Files of an archive by path. */
export type ArchiveFiles = ReadonlyMap<string, Bytes>;

/** What an archive holds: scan files, and folders of depth pictures. */
export interface ArchiveContent {
  scans: string[];
  /** Folders with an intrinsics.json, "" for the archive itself. */
  rgbdFolders: string[];
  /** Neither, nor material or picture. */
  others: string[];
}

/** Files that others name: materials, pictures, buffers. */
export const COMPANIONS = /\.(mtl|png|jpe?g|bin|webp|tga|bmp|tiff?|json)$/i;

/** Sorts the files of an archive. Files inside a folder of depth pictures belong to it. */
export function contentOf(files: ArchiveFiles, endings: readonly string[]): ArchiveContent {
  const paths = [...files.keys()].sort(new Intl.Collator('en', { numeric: true }).compare);
  const rgbdFolders = paths
    .filter((p) => /(^|\/)intrinsics\.json$/.test(p))
    .map((p) => p.slice(0, -'intrinsics.json'.length));
  const left = paths.filter((p) => !rgbdFolders.some((f) => p.startsWith(f)));
  const isScan = (p: string): boolean => endings.includes(endingOf(p));
  return {
    scans: left.filter(isScan),
    rgbdFolders,
    others: left.filter((p) => !isScan(p) && !COMPANIONS.test(p)),
  };
}

export const endingOf = (path: string): string => /\.([a-z0-9]+)$/i.exec(path)?.[1].toLowerCase() ?? '';

/** The files of one folder by their paths inside it. */
export function filesOf(files: ArchiveFiles, folder: string): Map<string, Bytes> {
  return new Map([...files].filter(([p]) => p.startsWith(folder)).map(([p, data]) => [p.slice(folder.length), data]));
}

/**
 * The scan of an OBJ file with the colours that its materials give its points. What is missing is said in its notes; the
 * shape comes all the same.
 * @param path of the OBJ file: names in it count from there
 */
export function withMaterials(file: ScanFile, path: string, files: ArchiveFiles): ScanFile {
  if (!file.indices || file.colors || file.companions.length === 0) return file;
  const notes: string[] = [];
  const materials = new Map<string, ObjMaterial>();
  for (const library of file.companions) {
    const found = companionOf(path, library, files);
    if (!found) notes.push(`The material file ${library} is missing.`);
    else readMtl(new TextDecoder().decode(allBytes(found))).forEach((m, name) => materials.set(name, m));
  }
  const pictures = new Map<string, Paint | undefined>();
  const pictureOf = (name: string): Paint | undefined => {
    if (!pictures.has(name)) pictures.set(name, readPicture(name));
    return pictures.get(name);
  };
  const readPicture = (name: string): Paint | undefined => {
    const found = companionOf(path, name, files);
    try {
      if (found) return decodeColor(allBytes(found), name);
      notes.push(`The picture ${name} is missing: the shape was taken without it.`);
    } catch (error) {
      notes.push(`${(error as GeometryError).message} The shape was taken without it.`);
    }
    return undefined;
  };
  const runs = file.materials ?? [];
  const paints = runs.map(({ name }) => {
    const material = materials.get(name);
    return (material?.picture ? pictureOf(material.picture) : undefined) ?? material?.color;
  });
  if (paints.every((p) => p === undefined)) return { ...file, notes: [...file.notes, ...notes] };
  let run = 0;
  const colors = colorsFromMap(file.positions.length / 3, file.indices, file.cornerUvs, (t) => {
    while (run + 1 < runs.length && runs[run + 1].from <= t) run++;
    return runs[run].from <= t ? paints[run] : undefined;
  });
  return { ...file, colors, notes: [...file.notes, ...notes] };
}

/** A file that another one names: beside it, else anywhere in the archive under that name. */
function companionOf(path: string, name: string, files: ArchiveFiles): Bytes | undefined {
  const folder = path.slice(0, path.lastIndexOf('/') + 1);
  const wanted = name.replaceAll('\\', '/').replace(/^(\.\/)+/, '');
  const base = wanted.slice(wanted.lastIndexOf('/') + 1).toLowerCase();
  const alike = [...files.keys()].find((p) => p.slice(p.lastIndexOf('/') + 1).toLowerCase() === base);
  return files.get(folder + wanted) ?? (alike === undefined ? undefined : files.get(alike));
}
