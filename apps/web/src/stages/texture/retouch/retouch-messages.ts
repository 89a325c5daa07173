import type { Dab } from '@amber-knit/core/geometry';
import type { Touch, TouchManner } from '@amber-knit/core/retouching';
import type { FromWork, ToWork } from '../../../shared/hand/work-client';
import type { MapTile } from '../../../view/surface-maps';
import type { PictureScan } from '../picture-frames';

/** To the worker that holds the map. Each is answered by `done`. */
export type ToRetouch =
  | (Extract<ToWork<Touch>, { ask: 'open' }> & { scans: readonly PictureScan[] })
  | Exclude<ToWork<Touch>, { ask: 'open' }>
  | { ask: 'begin'; manner: TouchManner }
  | { ask: 'dab'; dab: Dab }
  | { ask: 'end' }
  /** Which pictures a scan has. */
  | { ask: 'frames'; scan: string };

export type FromRetouch =
  /** The map as it is before any stroke, packed. */
  | { tell: 'opened'; png: Uint8Array; size: number; bounds: { min: number[]; max: number[] } }
  /** Parts of the map that look different now. */
  | { tell: 'tiles'; tiles: MapTile[] }
  | { tell: 'frames'; scan: string; names: readonly string[] }
  | FromWork<Touch>;
