import { readdir, stat } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import { EVERYDAY_ENDINGS, SCAN_FILE_ENDINGS } from '@amber-knit/core/io';
import { UsageError } from '../usage-error.js';

/** One object of a day: its name and what belongs to it. */
export interface DayObject {
  name: string;
  paths: string[];
  /** Tells whether anything of it was changed since: names, sizes and times of all that belongs to it. */
  mark: string;
  /** When its newest file was written, ms. */
  newest: number;
}

/**
 * The objects of a day's folder, by name: each folder in it is one. Scan files that lie beside them belong together by what the rule
 * finds in their names (its first group); without a rule each is an object.
 * @throws UsageError if there is no such folder
 */
export async function findObjects(day: string, rule?: RegExp): Promise<DayObject[]> {
  const entries = await readdir(day, { withFileTypes: true }).catch(() => {
    throw new UsageError(`${day} is no folder that can be read.`);
  });
  const groups = new Map<string, string[]>();
  for (const entry of entries.sort((a, b) => a.name.localeCompare(b.name, 'en'))) {
    if (entry.name.startsWith('.')) continue;
    const path = join(day, entry.name);
    if (entry.isDirectory()) groups.set(entry.name, [path]);
    else if (entry.isFile() && isScanFile(entry.name)) {
      const name = rule ? rule.exec(entry.name)?.[1] : basename(entry.name, extname(entry.name));
      if (name) groups.set(name, [...(groups.get(name) ?? []), path]);
    }
  }
  return Promise.all(
    [...groups].map(async ([name, paths]) => {
      const files = (await Promise.all(paths.map(filesOf))).flat();
      const mark = files.map((f) => `${f.path} ${f.size} ${f.time}`).join('\n');
      return {
        name: safeName(name),
        paths: await scansOf(paths),
        mark,
        newest: Math.max(0, ...files.map((f) => f.time)),
      };
    }),
  );
}

function isScanFile(name: string): boolean {
  const ending = extname(name).slice(1).toLowerCase();
  return (SCAN_FILE_ENDINGS.includes(ending) || ending === 'zip') && !EVERYDAY_ENDINGS.includes(ending);
}

/** A folder of folders of scan files holds the setups of its object: each is given by itself, so that it is known as one. */
async function scansOf(paths: string[]): Promise<string[]> {
  if (paths.length !== 1 || !(await stat(paths[0])).isDirectory()) return paths;
  const inside = await readdir(paths[0], { withFileTypes: true });
  const setups: string[] = [];
  for (const entry of inside.filter((e) => e.isDirectory())) {
    const path = join(paths[0], entry.name);
    const names = await readdir(path);
    if (!names.includes('intrinsics.json') && names.some(isScanFile)) setups.push(path);
  }
  const beside = inside.some((e) => e.isFile() && isScanFile(e.name));
  return setups.length === 0 ? paths : [...(beside ? paths : []), ...setups.sort()];
}

async function filesOf(path: string): Promise<{ path: string; size: number; time: number }[]> {
  const info = await stat(path);
  if (info.isFile()) return [{ path, size: info.size, time: Math.round(info.mtimeMs) }];
  const entries = await readdir(path, { recursive: true, withFileTypes: true });
  const files = entries.filter((e) => e.isFile()).map((e) => join(e.parentPath, e.name));
  return Promise.all(
    files.sort().map(async (file) => {
      const { size, mtimeMs } = await stat(file);
      return { path: file, size, time: Math.round(mtimeMs) };
    }),
  );
}

/** A name that is one folder and nothing else. */
const safeName = (name: string): string =>
  name
    .replace(/[\\/:*?"<>|]|\p{Cc}/gu, '_')
    .replace(/^\.+/, '_')
    .slice(0, 120);
