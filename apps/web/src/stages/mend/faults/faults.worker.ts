import { diagnose } from '@amber-knit/core/mending';
import { createRunContext } from '@amber-knit/core/runtime';
import { streamSurface } from '../../../view/surface-parts';
import type { FoundPlaces } from '../places/places-client';
import type { FoundFault } from './fault-words';

// Lists the faults of a stored surface off the page's thread, as the operation that mends them does.

/** Corners of so many triangles of a fault are drawn. */
const MOST_DRAWN = 20_000;

async function answer(meshId: string): Promise<FoundFault[]> {
  const { positions: p, indices } = await streamSurface(meshId, new AbortController().signal, () => undefined);
  return diagnose({ positions: p, indices }, createRunContext()).map(({ kind, place, size, triangles }) => {
    const drawn = triangles.subarray(0, MOST_DRAWN);
    const corners = new Float32Array(9 * drawn.length);
    drawn.forEach((t, i) => {
      for (let k = 0; k < 3; k++) {
        const v = indices[3 * t + k];
        corners.set(p.subarray(3 * v, 3 * v + 3), 9 * i + 3 * k);
      }
    });
    return { kind, place, size, triangles: triangles.length, corners };
  });
}

self.onmessage = ({ data }: MessageEvent<string>): void => {
  const post = (m: FoundPlaces<FoundFault>): void => (self as unknown as Worker).postMessage(m);
  answer(data)
    .then((found) => post({ found }))
    .catch((e: unknown) => post({ failed: e instanceof Error ? e.message : String(e) }));
};
