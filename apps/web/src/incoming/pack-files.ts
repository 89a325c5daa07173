import { zip } from 'fflate';
import type { FileGroup } from './group-files';

/** More than this is better packed by the one who has it. */
const MOST_TOGETHER = 1.5e9;

/**
 * What is sent for a group: its file, or a zip of its files, stored as they are (pictures are packed already).
 * @throws Error in words if there is too much of it
 */
export async function packFiles({ name, files }: FileGroup): Promise<File> {
  if (files.length === 1) return files[0].file;
  const total = files.reduce((s, f) => s + f.file.size, 0);
  if (total > MOST_TOGETHER)
    throw new Error(
      `The ${files.length} files that belong to ${name} are too large to be packed here. Pack them as a zip.`,
    );
  const contents: Record<string, Uint8Array> = {};
  for (const { path, file } of files) contents[path] = new Uint8Array(await file.arrayBuffer());
  const packed = await new Promise<Uint8Array<ArrayBuffer>>((resolve, reject) =>
    zip(contents, { level: 0 }, (error, data) => (error ? reject(error) : resolve(data as Uint8Array<ArrayBuffer>))),
  );
  return new File([packed], name, { type: 'application/zip' });
}
