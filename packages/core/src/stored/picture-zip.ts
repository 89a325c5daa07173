import { unzipSync, Zip, ZipPassThrough, zipSync } from 'fflate';
import { GeometryError } from '../runtime/geometry-error.js';

/** A picture still packed as PNG or JPEG. */
export interface PackedPicture {
  name: string;
  bytes: Uint8Array;
}

/** More pictures than any turn needs. */
const MOST_PICTURES = 5000;
const LARGEST_PICTURE = 64 * 1024 * 1024;
const LARGEST_TOTAL = 2 * 1024 * 1024 * 1024;

/** Packs pictures as they are, in their order: their names get numbers. */
export function encodePictureZip(pictures: readonly PackedPicture[]): Uint8Array {
  const entries = pictures.map(({ name, bytes }, i) => [numbered(name, i, pictures.length), bytes] as const);
  return zipSync(Object.fromEntries(entries), { level: 0 });
}

/**
 * The same part by part, so that the pictures need not be held at once.
 * @param read gives one of them
 */
export async function* pictureZipParts(
  count: number,
  read: (index: number) => Promise<PackedPicture>,
): AsyncGenerator<Uint8Array> {
  let parts: Uint8Array[] = [];
  const zip = new Zip((error, data) => {
    if (error) throw error;
    parts.push(data);
  });
  for (let i = 0; i < count; i++) {
    const { name, bytes } = await read(i);
    const entry = new ZipPassThrough(numbered(name, i, count));
    zip.add(entry);
    entry.push(bytes, true);
    yield* parts;
    parts = [];
  }
  zip.end();
  yield* parts;
}

function numbered(name: string, index: number, count: number): string {
  const ending = /\.[a-z]+$/i.exec(name)?.[0] ?? '.png';
  return `${String(index).padStart(String(count).length, '0')}${ending}`;
}

/**
 * Reads the PNG and JPEG pictures of a zip, by their numbers: "2.png" comes before "10.png". Other files are passed
 * over. Nothing is written anywhere, so paths in names do no harm.
 * @throws GeometryError `corrupt-file` if it is no zip, `too-large` if it would unpack beyond all need, `empty-input`
 *   without pictures
 */
export function decodePictureZip(bytes: Uint8Array): PackedPicture[] {
  let total = 0;
  let count = 0;
  let unpacked: Record<string, Uint8Array>;
  try {
    unpacked = unzipSync(bytes, {
      filter: ({ name, originalSize }) => {
        if (!/\.(png|jpe?g)$/i.test(name) || name.startsWith('__MACOSX')) return false;
        total += originalSize;
        count++;
        if (originalSize > LARGEST_PICTURE || total > LARGEST_TOTAL || count > MOST_PICTURES) {
          throw new GeometryError(
            'too-large',
            `The zip holds more than a recording needs (at most ${MOST_PICTURES} pictures of 64 MB, 2 GB in all). Cut it down to one turn.`,
          );
        }
        return true;
      },
    });
  } catch (error) {
    if (error instanceof GeometryError) throw error;
    throw new GeometryError('corrupt-file', 'The zip can’t be read: it is cut off or damaged. Pack it again.');
  }
  const order = new Intl.Collator('en', { numeric: true });
  const pictures = Object.entries(unpacked)
    .map(([name, data]) => ({ name, bytes: data }))
    .sort((a, b) => order.compare(a.name, b.name));
  if (pictures.length === 0) {
    throw new GeometryError('empty-input', 'The zip holds no PNG or JPEG picture.');
  }
  return pictures;
}
