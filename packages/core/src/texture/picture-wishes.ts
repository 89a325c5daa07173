import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { NO_PICTURE, type PictureName } from '../geometry/vertex-knowledge.js';
import type { ColorFrame, FrameView } from './frame-views.js';

export const WISH_MANNERS = ['not', 'rather'] as const;

/** What a person wants of one picture: not to colour with it, or rather with it than with others. */
export interface PictureWish extends PictureName {
  how: (typeof WISH_MANNERS)[number];
  /** Only in this ball: middle and radius, mm; everywhere if absent. */
  ball?: readonly [x: number, y: number, z: number, radius: number];
}

/** Where a picture is rather wanted others keep this share of their quality: it weighs by a power of several. */
const OTHERS = 0.1;
/** A wish runs out over this share of its radius beyond the ball: no step is to be seen. */
const RUN_OUT = 0.3;

const isOf = (wish: PictureName, { scan, frame }: PictureName): boolean => wish.scan === scan && wish.frame === frame;

/** The frames without those that are wanted nowhere. */
export function withoutUnwanted(frames: readonly ColorFrame[], wishes: readonly PictureWish[]): ColorFrame[] {
  const nowhere = wishes.filter((w) => w.how === 'not' && !w.ball);
  return frames.filter((f) => !nowhere.some((w) => isOf(w, f.picture)));
}

/** Lowers the quality of views where they are not wanted, and of others where one that sees the place is rather wanted. O(wishes · views · vertices). */
export function heedWishes({ positions: p }: TriangleMesh, views: FrameView[], wishes: readonly PictureWish[]): void {
  for (const wish of wishes) {
    const own = views.find((v) => isOf(wish, v.picture));
    if (!own) continue;
    for (let v = 0; v < own.quality.length; v++) {
      if (own.quality[v] === 0) continue;
      const share = heldAt(wish, p[3 * v], p[3 * v + 1], p[3 * v + 2]);
      if (share === 0) continue;
      if (wish.how === 'not') own.quality[v] = Math.round((1 - share) * own.quality[v]);
      else {
        const kept = 1 - share * (1 - OTHERS);
        for (const { quality } of views)
          if (quality !== own.quality && quality[v] > 0) quality[v] = Math.max(1, Math.round(kept * quality[v]));
      }
    }
  }
}

/** How much a wish holds at a place, 0–1. */
function heldAt({ ball }: PictureWish, x: number, y: number, z: number): number {
  if (!ball) return 1;
  const beyond = Math.hypot(x - ball[0], y - ball[1], z - ball[2]) / ball[3] - 1;
  if (beyond <= 0) return 1;
  const t = 1 - Math.min(1, beyond / RUN_OUT);
  return t * t * (3 - 2 * t);
}

/** Wishes whose picture is not among those of the frames. */
export function wishesOfNone(frames: readonly ColorFrame[], wishes: readonly PictureWish[]): PictureWish[] {
  return wishes.filter((w) => !frames.some((f) => isOf(w, f.picture)));
}

/** Of each vertex the view that sees it best once all is heeded, `NO_PICTURE` where none does. */
export function bestViews(vertices: number, views: readonly FrameView[]): Uint32Array {
  const out = new Uint32Array(vertices).fill(NO_PICTURE);
  const best = new Uint8Array(vertices);
  views.forEach(({ quality }, i) => {
    for (let v = 0; v < vertices; v++) {
      if (quality[v] <= best[v]) continue;
      best[v] = quality[v];
      out[v] = i;
    }
  });
  return out;
}
