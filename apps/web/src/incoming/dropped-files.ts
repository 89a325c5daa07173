import type { DroppedFile } from './group-files';

/** Files of a drop, those inside folders with their paths. Must be called while the event is handled. */
export async function droppedFiles(transfer: DataTransfer): Promise<DroppedFile[]> {
  // The list is empty once the handler has returned: entries are taken at once.
  const entries = Array.from(transfer.items, (i) => i.webkitGetAsEntry()).filter((e) => e !== null);
  if (entries.length === 0) return chosenFiles(transfer.files);
  return (await Promise.all(entries.map(filesIn))).flat();
}

/** Files of an input, those of a chosen folder with their paths. */
export function chosenFiles(files: FileList | null): DroppedFile[] {
  return Array.from(files ?? [], (file) => ({ path: file.webkitRelativePath || file.name, file }));
}

async function filesIn(entry: FileSystemEntry): Promise<DroppedFile[]> {
  const path = entry.fullPath.replace(/^\//, '');
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    return [{ path, file }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: DroppedFile[] = [];
  // A reader gives its entries in portions.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) return inside;
    for (const e of some) inside.push(...(await filesIn(e)));
  }
}
