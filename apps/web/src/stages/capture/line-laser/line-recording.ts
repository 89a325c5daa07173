import type { ColorImage } from '@amber-knit/core/geometry';
import { thumbnailOf, type LineCentres, type Thumbnail } from '@amber-knit/core/line-laser';
import { encodePictureZip } from '@amber-knit/core/stored';

/** Pictures of a recording, packed, with what is known of each. */
export class LineRecording {
  readonly thumbnails: Thumbnail[] = [];
  /** Lines found with the options of now. */
  lines: (LineCentres | undefined)[] = [];
  private readonly packed: { name: string; bytes: Uint8Array }[] = [];
  private size = { width: 0, height: 0 };
  private underway: Promise<unknown> = Promise.resolve();

  constructor(private readonly toBytes: (image: ColorImage) => Promise<Uint8Array> = packPicture) {}

  get length(): number {
    return this.packed.length;
  }

  get pictureSize(): { width: number; height: number } {
    return this.size;
  }

  /** Adds a picture together with its packed form. */
  add(image: ColorImage, bytes: Uint8Array, name: string): void {
    if (this.length === 0) this.size = { width: image.width, height: image.height };
    else if (image.width !== this.size.width || image.height !== this.size.height) {
      throw new Error(
        `Picture ${this.length + 1} has ${image.width} × ${image.height} pixels, the first ${this.size.width} × ${this.size.height}. A recording’s pictures are all of one size.`,
      );
    }
    this.thumbnails.push(thumbnailOf(image));
    this.packed.push({ name, bytes });
    this.lines.push(undefined);
  }

  /** Packs a picture and adds it; gives the packed form. */
  take(image: ColorImage, name: string): Promise<Uint8Array> {
    const taken = this.toBytes(image).then((bytes) => {
      this.add(image, bytes, name);
      return bytes;
    });
    this.underway = taken.catch(() => {});
    return taken;
  }

  /** Ends when no picture is being packed any more: only then is a recording whole. */
  async settled(): Promise<void> {
    await this.underway;
  }

  /** A picture unpacked by the browser. */
  async picture(index: number): Promise<ColorImage> {
    const { bytes } = this.packed[index];
    return imageOf(await createImageBitmap(new Blob([bytes as Uint8Array<ArrayBuffer>])));
  }

  pack(): Uint8Array {
    return encodePictureZip(this.packed);
  }
}

let canvas: OffscreenCanvas | undefined;

/** RGB of a bitmap; closes it. */
export function imageOf(bitmap: ImageBitmap): ColorImage {
  const { width, height } = bitmap;
  if (!canvas || canvas.width !== width || canvas.height !== height) canvas = new OffscreenCanvas(width, height);
  const context = canvas.getContext('2d', { willReadFrequently: true })!;
  context.drawImage(bitmap, 0, 0);
  bitmap.close();
  const rgba = context.getImageData(0, 0, width, height).data;
  const data = new Uint8Array(3 * width * height);
  for (let i = 0, j = 0; i < rgba.length; i += 4, j += 3) {
    data[j] = rgba[i];
    data[j + 1] = rgba[i + 1];
    data[j + 2] = rgba[i + 2];
  }
  return { width, height, data };
}

/** Packs a picture as JPEG of the highest quality: at lesser ones, browsers halve the resolution of colours. */
export async function packPicture({ width, height, data }: ColorImage): Promise<Uint8Array> {
  const drawn = new OffscreenCanvas(width, height);
  drawn.getContext('2d', { willReadFrequently: true })!.putImageData(pixelsOf(width, height, data), 0, 0);
  return new Uint8Array(await (await drawn.convertToBlob({ type: 'image/jpeg', quality: 1 })).arrayBuffer());
}

/** A bitmap of RGB, or of one value a pixel as grey. */
export function bitmapOf(width: number, height: number, data: ArrayLike<number>): Promise<ImageBitmap> {
  return createImageBitmap(pixelsOf(width, height, data));
}

function pixelsOf(width: number, height: number, data: ArrayLike<number>): ImageData {
  const rgba = new Uint8ClampedArray(4 * width * height);
  const channels = data.length === width * height ? 1 : 3;
  for (let i = 0; i < width * height; i++) {
    for (let k = 0; k < 3; k++) rgba[4 * i + k] = data[channels * i + (channels === 3 ? k : 0)];
    rgba[4 * i + 3] = 255;
  }
  return new ImageData(rgba, width, height);
}
