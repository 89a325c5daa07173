export interface PackItem {
  width: number;
  height: number;
}

export interface PackSpot {
  x: number;
  y: number;
  /** True if the item was turned by a quarter. */
  turned: boolean;
}

/**
 * Packs rectangles into a square, the largest first, each where it leaves the skyline lowest (then leftmost), turned by
 * a quarter if that is better. O(n · skyline).
 * Source: J. Jylänki (2010), A thousand ways to pack the bin (skyline, bottom-left).
 * @returns a spot for each item, or undefined if they don't fit
 */
export function packRectangles(items: PackItem[], side: number): PackSpot[] | undefined {
  const order = items
    .map((_, i) => i)
    .sort((a, b) => Math.max(items[b].width, items[b].height) - Math.max(items[a].width, items[a].height) || a - b);
  const spots: PackSpot[] = new Array(items.length);
  let skyline = [{ x: 0, y: 0, width: side }];

  for (const i of order) {
    let best: { top: number; x: number; y: number; w: number; h: number; turned: boolean } | undefined;
    for (const turned of [false, true]) {
      const w = turned ? items[i].height : items[i].width;
      const h = turned ? items[i].width : items[i].height;
      for (let s = 0; s < skyline.length; s++) {
        const x = skyline[s].x;
        if (x + w > side) break;
        let y = 0;
        for (let k = s; k < skyline.length && skyline[k].x < x + w; k++) y = Math.max(y, skyline[k].y);
        if (y + h > side) continue;
        if (!best || y + h < best.top || (y + h === best.top && x < best.x)) best = { top: y + h, x, y, w, h, turned };
      }
    }
    if (!best) return undefined;
    spots[i] = { x: best.x, y: best.y, turned: best.turned };
    const next: typeof skyline = [];
    const right = best.x + best.w;
    for (const seg of skyline) {
      const end = seg.x + seg.width;
      if (end <= best.x || seg.x >= right) {
        next.push(seg);
        continue;
      }
      if (seg.x < best.x) next.push({ x: seg.x, y: seg.y, width: best.x - seg.x });
      if (end > right) next.push({ x: right, y: seg.y, width: end - right });
    }
    next.push({ x: best.x, y: best.top, width: best.w });
    next.sort((a, b) => a.x - b.x);
    skyline = [];
    for (const seg of next) {
      const last = skyline[skyline.length - 1];
      if (last && last.y === seg.y && last.x + last.width === seg.x) last.width += seg.width;
      else skyline.push({ ...seg });
    }
  }
  return spots;
}
