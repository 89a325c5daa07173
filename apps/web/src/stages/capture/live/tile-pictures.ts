import type { Intrinsics } from '@amber-knit/core/geometry';
import type { DeviceFrame } from '@amber-knit/device-protocol';
import type { TilePicture } from './capture-messages';

/** Where places in a sensor's frame (3n) are in its picture, as shares of its width and height; those outside are left out. */
export function placesInPicture(places: Float32Array, camera: Intrinsics): [number, number][] {
  const out: [number, number][] = [];
  for (let i = 0; i < places.length; i += 3) {
    const [x, y, z] = places.subarray(i, i + 3);
    const at: [number, number] = [
      ((camera.fx * x) / z + camera.cx + 0.5) / camera.width,
      ((camera.fy * y) / z + camera.cy + 0.5) / camera.height,
    ];
    if (z > 0 && at.every((v) => v >= 0 && v <= 1)) out.push(at);
  }
  return out;
}

/** The colour picture at the tile's size (every n-th pixel of a larger one). */
export function colorTile(color: NonNullable<DeviceFrame['color']>, width: number): TilePicture {
  const step = Math.max(1, Math.round(color.camera.width / width));
  const w = Math.floor(color.camera.width / step);
  const h = Math.floor(color.camera.height / step);
  const data = new Uint8ClampedArray(4 * w * h);
  for (let y = 0, at = 0; y < h; y++) {
    for (let x = 0; x < w; x++, at += 4) {
      const i = 3 * (y * step * color.camera.width + x * step);
      data[at] = color.data[i];
      data[at + 1] = color.data[i + 1];
      data[at + 2] = color.data[i + 2];
      data[at + 3] = 255;
    }
  }
  return { width: w, height: h, data };
}

/**
 * The sensor's own picture in grey. Over-exposed pixels carry stripes rising to the right, pixels that see something but
 * have no depth stripes falling to the right, so that the two differ by more than colour.
 */
export function sensorTile(depth: NonNullable<DeviceFrame['depth']>): TilePicture {
  const { width, height } = depth.camera;
  const grey = depth.infrared;
  const data = new Uint8ClampedArray(4 * width * height);
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const at = 4 * i;
      const g = grey ? grey[i] : Math.min(255, depth.data[i] / 64);
      data[at] = data[at + 1] = data[at + 2] = g;
      data[at + 3] = 255;
      if (g === 255) {
        const on = (x + y) % 8 < 4;
        data[at] = on ? 214 : 255;
        data[at + 1] = on ? 64 : 236;
        data[at + 2] = on ? 40 : 226;
      } else if (depth.data[i] === 0 && g > 8) {
        const on = (x - y + 4096) % 8 < 4;
        data[at] = on ? 20 : 0.5 * g;
        data[at + 1] = on ? 110 : 0.5 * g;
        data[at + 2] = on ? 140 : 0.5 * g;
      }
    }
  }
  return { width, height, data };
}
