import { useEffect, useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { streamArtifact } from '../view/load-artifact';

/** Evenly spread points of a scan: positions (3 for each, mm, the scan's frame) and sRGB colours. */
export interface CloudSample {
  positions: Float32Array;
  colors?: Uint8Array;
}

const MOST_POINTS = 6000;
const MOST_KEPT = 300;
const kept = new Map<string, Promise<CloudSample>>();

/** A few thousand points of a stored cloud: its first page covers the scan evenly, the rest is not fetched. */
function cloudSample(artifactId: string): Promise<CloudSample> {
  const known = kept.get(artifactId);
  if (known) return known;
  if (kept.size >= MOST_KEPT) kept.clear();
  const stop = new AbortController();
  const loading = new Promise<CloudSample>((resolve, reject) => {
    streamArtifact(
      artifactId,
      stop.signal,
      () => undefined,
      (table, _first, rows, columns) => {
        if (table !== 'points') return;
        const step = Math.max(1, Math.floor(rows / MOST_POINTS));
        const count = Math.floor(rows / step);
        const pick = <T extends Float32Array | Uint8Array>(from: T, to: T): T => {
          for (let i = 0; i < count; i++) to.set(from.subarray(3 * i * step, 3 * i * step + 3), 3 * i);
          return to;
        };
        const color = columns.color as Uint8Array | undefined;
        resolve({
          positions: pick(columns.position as Float32Array, new Float32Array(3 * count)),
          colors: color && pick(color, new Uint8Array(3 * count)),
        });
        stop.abort();
      },
    ).catch((e: Error) => {
      if (e.name === 'AbortError') return;
      kept.delete(artifactId);
      reject(e);
    });
  });
  kept.set(artifactId, loading);
  return loading;
}

/** Samples of all scans of a piece by scan id, as they arrive. */
export function useCloudSamples(piece: PieceView): ReadonlyMap<string, CloudSample> {
  const [samples, setSamples] = useState<ReadonlyMap<string, CloudSample>>(new Map());
  const wanted = piece.scanList.map((s) => `${s.id} ${s.cloud.id}`).join('|');
  useEffect(() => {
    let gone = false;
    for (const item of wanted.split('|').filter(Boolean)) {
      const [scanId, artifactId] = item.split(' ');
      cloudSample(artifactId).then(
        (sample) => !gone && setSamples((old) => new Map(old).set(scanId, sample)),
        () => undefined,
      );
    }
    return () => void (gone = true);
  }, [wanted]);
  return samples;
}
