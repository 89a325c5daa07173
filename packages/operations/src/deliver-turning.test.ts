import type { TriangleMesh } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import { decodeColor } from '@amber-knit/core/stored';
import { GifReader } from 'omggif';
import { BoxGeometry } from 'three';
import { deliverTurning, DeliverTurningParams } from './deliver-turning.js';
import { parseParams } from './params.js';

const geometry = new BoxGeometry(60, 40, 20);
const mesh: TriangleMesh = {
  positions: Float32Array.from(geometry.getAttribute('position').array),
  indices: Uint32Array.from(geometry.getIndex()!.array),
};
const run = (values: object) =>
  deliverTurning.run({ mesh }, parseParams(DeliverTurningParams, values), createRunContext({ seed: 1 }));

test('an animation is read by another library: its size, its pictures, and that it turns', async () => {
  const { outputs, figures } = await run({ size: 64, pictures: 8, name: 'crate' });
  expect([outputs.file.name, figures.pictures]).toEqual(['crate.gif', 8]);
  const read = new GifReader(outputs.file.bytes);
  expect([read.width, read.height, read.numFrames(), read.loopCount()]).toEqual([64, 64, 8, 0]);
  const page = (k: number): Uint8Array => {
    const pixels = new Uint8Array(4 * 64 * 64);
    read.decodeAndBlitFrameRGBA(k, pixels);
    return pixels;
  };
  const [a, b] = [page(0), page(1)];
  expect(a.some((v, i) => Math.abs(v - b[i]) > 20)).toBe(true);
  // The corner is ground: paper.
  [239, 233, 221].forEach((c, k) => expect(Math.abs(a[k] - c)).toBeLessThan(8));
});

test('a picture has its ground and its edge', async () => {
  const { outputs } = await run({ what: 'png', size: 100, ground: 'white' });
  const { width, height, data } = decodeColor(outputs.file.bytes, 'crate.png');
  expect([width, height, data[0]]).toEqual([100, 100, 255]);
  expect(data[3 * (50 * 100 + 50)]).toBeLessThan(230);
});
