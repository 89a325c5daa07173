import type { TriangleMesh } from '@amber-knit/core/geometry';
import { areaSpread, vertexAreas, weakPlaces, type AreaSpread, type WeakPlace } from '@amber-knit/core/measure';
import { streamSurface } from '../../../view/surface-parts';
import { isBeyond, qualityOf, type QualityId } from './qualities';

// Looks through what a stored surface knows of how it was measured, off the page's thread.

export interface AskKnowledge {
  meshId: string;
  quality: QualityId;
  /** Absent: what the values suggest. */
  limit?: number;
}

export interface Knowledge {
  quality: QualityId;
  limit: number;
  spread: AreaSpread;
  /** Area beyond the limit, mm², in how many places, and the largest of them. */
  beyond: number;
  places: WeakPlace[];
}

/** `null`: the surface does not know it. */
export type FromKnowledge = { found: Knowledge | null; for: AskKnowledge } | { failed: string };

/** Bars of a histogram, and places listed. */
const BARS = 30;
const MOST_PLACES = 12;

let loaded: { meshId: string; mesh: TriangleMesh; areas: Float64Array } | undefined;

async function answer({ meshId, quality, limit }: AskKnowledge): Promise<Knowledge | null> {
  if (loaded?.meshId !== meshId) {
    const mesh = await streamSurface(meshId, new AbortController().signal, () => {});
    loaded = { meshId, mesh, areas: vertexAreas(mesh) };
  }
  const { mesh, areas } = loaded;
  const q = qualityOf(quality);
  const of = q.of(mesh);
  if (!of) return null;
  const values = Float32Array.from(areas, (_, v) => (mesh.invented?.[v] ? NaN : of(v)));
  const known = values.filter((x) => x >= 0).sort();
  if (known.length === 0) return null;
  const at = (share: number): number => known[Math.floor(share * (known.length - 1))];
  const end = q.end ?? 1.2 * at(0.99);
  // To begin with the worst twentieth is marked.
  const most = limit ?? q.limit ?? Number(at(0.95).toPrecision(2));
  const isWeak = (v: number): boolean => isBeyond(q, values[v], most);
  const badness = q.worse === 'above' ? (v: number) => values[v] : (v: number) => -values[v];
  return {
    quality,
    limit: most,
    spread: areaSpread(areas, values, end, BARS),
    beyond: areas.reduce((s, a, v) => (isWeak(v) ? s + a : s), 0),
    places: weakPlaces(mesh, areas, badness, isWeak, MOST_PLACES).map((p) => ({ ...p, worst: Math.abs(p.worst) })),
  };
}

self.onmessage = ({ data }: MessageEvent<AskKnowledge>): void => {
  const post = (m: FromKnowledge): void => (self as unknown as Worker).postMessage(m);
  answer(data)
    .then((found) => post({ found, for: data }))
    .catch((e: unknown) => post({ failed: e instanceof Error ? e.message : String(e) }));
};
