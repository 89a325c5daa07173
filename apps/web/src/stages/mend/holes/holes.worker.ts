import { listHoles } from '@amber-knit/core/mending';
import { makeManifold } from '@amber-knit/core/mesh';
import { streamSurface } from '../../../view/surface-parts';
import type { FoundPlaces } from '../places/places-client';
import type { FoundHole } from './hole-words';

// Lists the holes of a stored surface off the page's thread, as the operation that fills them does.

const post = (m: FoundPlaces<FoundHole>): void => (self as unknown as Worker).postMessage(m);

async function answer(meshId: string): Promise<FoundHole[]> {
  const { positions, indices, meantOpen } = await streamSurface(meshId, new AbortController().signal, () => {});
  const { mesh } = makeManifold({ positions, indices, meantOpen });
  return listHoles(mesh).map(({ rim, length, middle, meant }) => ({
    length,
    middle,
    meant,
    rim: Float32Array.from(Array.from(rim).flatMap((v) => Array.from(mesh.positions.subarray(3 * v, 3 * v + 3)))),
  }));
}

self.onmessage = ({ data }: MessageEvent<string>): void => {
  answer(data)
    .then((found) => post({ found }))
    .catch((e: unknown) => post({ failed: e instanceof Error ? e.message : String(e) }));
};
