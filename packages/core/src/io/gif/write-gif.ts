import gifenc from 'gifenc';
import type { ColorImage } from '../../geometry/triangle-mesh.js';

/** Colours of one picture at most, as the format has it. */
const COLORS = 256;

/**
 * Pictures of the same size as an animation that goes round without end, each with the colours that suit it best.
 * Source: CompuServe (1990), Graphics Interchange Format, version 89a.
 * @param delayMs from one picture to the next; the format counts in hundredths of a second
 */
export function writeGif(pictures: Iterable<ColorImage>, delayMs: number): Uint8Array {
  const { GIFEncoder, applyPalette, quantize } = gifenc;
  const gif = GIFEncoder();
  for (const { width, height, data } of pictures) {
    const rgba = new Uint8Array(4 * width * height).fill(255);
    for (let i = 0; i < width * height; i++) for (let k = 0; k < 3; k++) rgba[4 * i + k] = data[3 * i + k];
    const palette = quantize(rgba, COLORS);
    gif.writeFrame(applyPalette(rgba, palette), width, height, { palette, delay: delayMs, repeat: 0 });
  }
  gif.finish();
  return gif.bytes();
}
