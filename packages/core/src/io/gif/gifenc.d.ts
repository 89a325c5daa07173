/** What core uses of the encoder, whose package has no types. */
declare module 'gifenc' {
  type Palette = number[][];
  interface Encoder {
    writeFrame(
      pixels: Uint8Array,
      width: number,
      height: number,
      options: { palette: Palette; delay: number; repeat: number },
    ): void;
    finish(): void;
    bytes(): Uint8Array;
  }
  const gifenc: {
    GIFEncoder(): Encoder;
    quantize(rgba: Uint8Array, colors: number): Palette;
    applyPalette(rgba: Uint8Array, palette: Palette): Uint8Array;
  };
  export default gifenc;
}
