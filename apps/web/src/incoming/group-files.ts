/** A file with its path in what was dropped or chosen. */
export interface DroppedFile {
  path: string;
  file: File;
}

/** What is sent in one go: a file by itself, or files that belong together. */
export interface FileGroup {
  name: string;
  files: DroppedFile[];
  /** A text file: what its columns hold is asked first. */
  text: boolean;
}

export interface GroupedFiles {
  groups: FileGroup[];
  /** Paths of files of no known kind. */
  unknown: string[];
}

const ALONE = ['ply', 'stl', 'glb', 'off', 'pcd', 'e57', '3mf', 'zip'];
/** Kinds that name other files. */
const WITH_COMPANIONS = ['obj', 'gltf'];
const COMPANIONS = ['mtl', 'png', 'jpg', 'jpeg', 'bin'];
export const TEXTS = ['xyz', 'pts', 'csv', 'txt', 'asc'];

/** Endings that can be chosen. */
export const CHOOSABLE = [...ALONE, ...WITH_COMPANIONS, ...COMPANIONS, ...TEXTS];

const endingOf = (path: string): string => path.slice(path.lastIndexOf('.') + 1).toLowerCase();
const folderOf = (path: string): string => path.slice(0, path.lastIndexOf('/') + 1);
const baseOf = (path: string): string => path.slice(folderOf(path).length).replace(/\.[^.]*$/, '');

/**
 * Sorts what was dropped into what is sent together: a folder of depth pictures; a mesh with the materials and pictures
 * below its folder; all else file by file.
 */
export function groupFiles(dropped: readonly DroppedFile[]): GroupedFiles {
  const files = dropped.filter(({ path }) => !path.split('/').some((part) => part.startsWith('.')));
  const depthFolders = files.filter((f) => /(^|\/)intrinsics\.json$/.test(f.path)).map((f) => folderOf(f.path));
  const inDepthFolder = (path: string): boolean => depthFolders.some((d) => path.startsWith(d));
  const groups: FileGroup[] = depthFolders.map((d) => ({
    name: `${d ? baseOf(`${d.slice(0, -1)}.x`) : 'depth pictures'}.zip`,
    files: files.filter((f) => f.path.startsWith(d)),
    text: false,
  }));
  const used = new Set<string>();
  const left = files.filter((f) => !inDepthFolder(f.path));
  const of = (kinds: readonly string[]): DroppedFile[] => left.filter((f) => kinds.includes(endingOf(f.path)));
  for (const mesh of of(WITH_COMPANIONS)) {
    const companions = of(COMPANIONS).filter((f) => f.path.startsWith(folderOf(mesh.path)));
    companions.forEach((c) => used.add(c.path));
    groups.push({
      name: companions.length > 0 ? `${baseOf(mesh.path)}.zip` : mesh.file.name,
      files: [mesh, ...companions],
      text: false,
    });
  }
  for (const f of of(ALONE)) groups.push({ name: f.file.name, files: [f], text: false });
  for (const f of of(TEXTS)) groups.push({ name: f.file.name, files: [f], text: true });
  const sent = new Set([...groups.flatMap((g) => g.files.map((f) => f.path)), ...used]);
  return { groups, unknown: files.filter((f) => !sent.has(f.path)).map((f) => f.path) };
}
