/** What lies between charts, beyond their padding: a mid tone, sRGB. */
export const MID_TONE = 118;

/** Which empty texels take their value from which filled one. */
export interface Padding {
  texel: Uint32Array;
  from: Uint32Array;
}

/**
 * Grows what is filled outwards over empty texels: each takes the value of a filled texel next to it or near it.
 * O(texels) for the first round, then of the border.
 * @param filled one a texel: 0 where nothing is yet, 1 where something is; anything else takes nothing and gives nothing
 * @param rounds texels outwards
 */
export function paddingOf(filled: Uint8Array, width: number, rounds: number): Padding {
  const source = new Map<number, number>();
  const near = [-1, 1, -width, width];
  const isBeside = (i: number, j: number): boolean =>
    j >= 0 && j < filled.length && (Math.abs(i - j) !== 1 || Math.floor(i / width) === Math.floor(j / width));
  let border: number[] = [];
  for (let i = 0; i < filled.length; i++) {
    if (filled[i]) continue;
    const d = near.find((step) => isBeside(i, i + step) && filled[i + step] === 1);
    if (d === undefined) continue;
    source.set(i, i + d);
    border.push(i);
  }
  for (let round = 1; round < rounds && border.length > 0; round++) {
    const next: number[] = [];
    for (const i of border) {
      for (const d of near) {
        const j = i + d;
        if (!isBeside(i, j) || filled[j] || source.has(j)) continue;
        source.set(j, source.get(i)!);
        next.push(j);
      }
    }
    border = next;
  }
  if (rounds < 1) return { texel: new Uint32Array(0), from: new Uint32Array(0) };
  return { texel: Uint32Array.from(source.keys()), from: Uint32Array.from(source.values()) };
}

/** Fills the padding of one map. */
export function pad(data: Uint8Array | Uint16Array | Float32Array, channels: number, { texel, from }: Padding): void {
  for (let i = 0; i < texel.length; i++)
    for (let k = 0; k < channels; k++) data[channels * texel[i] + k] = data[channels * from[i] + k];
}
