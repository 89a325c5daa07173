import { hcl } from 'd3';
import { NO_PICTURE, type VertexKnowledge } from '@amber-knit/core/geometry';
import { srgbToLinear } from '../../../view/view-content';

/** The golden angle, degrees: neighbours in the list never look alike. */
const TURN = 137.508;
const LIGHTNESS = [72, 58, 84];
export const AROUND_TINT = '#8c8478';
/** One picture that is looked for, and all others then. */
export const CHOSEN_TINT = '#b4690e';
export const OTHERS_TINT = '#d9d4c8';

/** A tint for the picture of this number. With many of them some look much alike: the list and the reading tell them apart. */
export const pictureTint = (i: number): string => hcl(TURN * i, 34, LIGHTNESS[i % LIGHTNESS.length]).formatHex();

const bytesOf = (css: string): Uint8Array => {
  const { r, g, b } = hcl(css).rgb();
  return srgbToLinear(Uint8Array.of(r, g, b));
};

/** Linear bytes per vertex that tell which picture coloured it, or where one picture did; undefined if the surface does not know. */
export function pictureColors({ coloredBy, pictures }: VertexKnowledge, chosen: number | null): Uint8Array | undefined {
  if (!coloredBy || !pictures) return undefined;
  const tints = pictures.map((_, i) =>
    bytesOf(chosen === null ? pictureTint(i) : i === chosen ? CHOSEN_TINT : OTHERS_TINT),
  );
  const around = bytesOf(AROUND_TINT);
  const out = new Uint8Array(3 * coloredBy.length);
  for (let v = 0; v < coloredBy.length; v++)
    out.set(coloredBy[v] === NO_PICTURE ? around : (tints[coloredBy[v]] ?? around), 3 * v);
  return out;
}
