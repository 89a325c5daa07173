/** A label and the place in the picture that it belongs to, pixels. */
export interface Hanging {
  x: number;
  y: number;
  width: number;
}

/** Height of a label with the gap to the next, and how far from its place it first hangs, pixels. */
export const LABEL_HEIGHT = 24;
const GAP = 4;
const AWAY = 14;

/**
 * Where labels stand so that none covers another: beside their places, above or below as far as it takes. Earlier ones keep
 * the better places. Left upper corners, within the picture. O(n²), for the few labels of a piece.
 */
export function placeLabels(labels: readonly Hanging[], width: number, height: number): { x: number; y: number }[] {
  const taken: { x: number; y: number; width: number }[] = [];
  return labels.map((label) => {
    const free = (x: number, y: number): boolean =>
      taken.every(
        (t) => x >= t.x + t.width + GAP || t.x >= x + label.width + GAP || Math.abs(y - t.y) >= LABEL_HEIGHT + GAP,
      );
    const within = (v: number, most: number): number => Math.max(2, Math.min(v, most));
    const most = { x: width - label.width - 2, y: height - LABEL_HEIGHT - 2 };
    let found: { x: number; y: number } | undefined;
    for (let k = 0; k < 40 && !found; k++) {
      // 0, -1, 1, -2, 2 … rows off its place, to the right, then to the left.
      const row = (k % 2 ? -1 : 1) * Math.ceil(k / 2);
      const y = within(label.y - LABEL_HEIGHT / 2 + row * (LABEL_HEIGHT + GAP), most.y);
      for (const side of [label.x + AWAY, label.x - AWAY - label.width]) {
        const x = within(side, most.x);
        if (!found && free(x, y)) found = { x, y };
      }
    }
    const at = found ?? { x: within(label.x, most.x), y: within(label.y, most.y) };
    taken.push({ ...at, width: label.width });
    return at;
  });
}
