import { useEffect, useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import { normalsOf } from '@amber-knit/core/stored';
import { cloudSource, loadCut, streamArtifact, type CloudSource } from '../../../view/load-artifact';

/** Evenly spread points of a scan: positions (3 for each, mm, the scan's frame), sRGB colours, normals if there are any. */
export interface CloudSample {
  positions: Float32Array;
  colors?: Uint8Array;
  normals?: Float32Array;
}

const MOST_POINTS = 6000;
const MOST_KEPT = 300;
const kept = new Map<string, Promise<CloudSample>>();

/** A few thousand points of a stored cloud: its first page covers the scan evenly, the rest is not fetched. */
function cloudSample(source: CloudSource): Promise<CloudSample> {
  const key = source.cut ?? source.base;
  const known = kept.get(key);
  if (known) return known;
  if (kept.size >= MOST_KEPT) kept.clear();
  const stop = new AbortController();
  const loading = sampleFirstPage(source, stop).catch((e: Error) => {
    kept.delete(key);
    throw e;
  });
  kept.set(key, loading);
  return loading;
}

async function sampleFirstPage({ base, cut }: CloudSource, stop: AbortController): Promise<CloudSample> {
  const left = cut ? await loadCut(cut) : undefined;
  return new Promise<CloudSample>((resolve, reject) => {
    streamArtifact(
      base,
      stop.signal,
      () => undefined,
      (table, first, rows, columns) => {
        if (table !== 'points') return;
        const there: number[] = [];
        for (let i = 0; i < rows; i++) if (!left || left.has(first + i)) there.push(i);
        const step = Math.max(1, Math.floor(there.length / MOST_POINTS));
        const count = Math.floor(there.length / step);
        const pick = <T extends Float32Array | Uint8Array>(from: T, to: T): T => {
          for (let i = 0; i < count; i++) to.set(from.subarray(3 * there[i * step], 3 * there[i * step] + 3), 3 * i);
          return to;
        };
        const color = columns.color as Uint8Array | undefined;
        const normal = columns.normal && normalsOf(columns.normal);
        resolve({
          positions: pick(columns.position as Float32Array, new Float32Array(3 * count)),
          colors: color && pick(color, new Uint8Array(3 * count)),
          normals: normal && pick(normal, new Float32Array(3 * count)),
        });
        stop.abort();
      },
    ).catch((e: Error) => e.name !== 'AbortError' && reject(e));
  });
}

/** Samples of all scans of a piece by scan id, as they arrive. */
export function useCloudSamples(piece: PieceView): ReadonlyMap<string, CloudSample> {
  const [samples, setSamples] = useState<ReadonlyMap<string, CloudSample>>(new Map());
  const wanted = JSON.stringify(piece.scanList.map((s) => [s.id, cloudSource(s)]));
  useEffect(() => {
    let gone = false;
    for (const [scanId, source] of JSON.parse(wanted) as [string, CloudSource][]) {
      cloudSample(source).then(
        (sample) => !gone && setSamples((old) => new Map(old).set(scanId, sample)),
        () => undefined,
      );
    }
    return () => void (gone = true);
  }, [wanted]);
  return samples;
}
