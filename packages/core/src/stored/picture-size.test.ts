import { encodeColorJpeg, encodeColorPng } from './color-image.js';
import { decodeColor, pictureSize } from './index.js';

const image = { width: 7, height: 5, data: new Uint8Array(105).fill(90) };

test('the size is read from the header of what other libraries wrote', () => {
  // Written by fast-png and jpeg-js.
  expect(pictureSize(encodeColorPng(image))).toEqual({ width: 7, height: 5 });
  expect(pictureSize(encodeColorJpeg(image))).toEqual({ width: 7, height: 5 });
  for (const none of [
    new Uint8Array(0),
    Uint8Array.of(0xff, 0xd8),
    new Uint8Array(64),
    Uint8Array.of(0xff, 0xd8, 0xff, 0xe0, 0, 2, 0, 0, 0, 0, 0, 0, 0),
  ])
    expect(pictureSize(none)).toBeUndefined();
});

test('pictures that claim to be huge are refused before they are unpacked', () => {
  const png = encodeColorPng(image);
  new DataView(png.buffer, png.byteOffset).setUint32(16, 16_000);
  new DataView(png.buffer, png.byteOffset).setUint32(20, 16_000);
  expect(() => decodeColor(png, 'bomb.png')).toThrow(/bomb.png measures 16000×16000 pixels; 70 million are the most/);
  const jpeg = encodeColorJpeg(image);
  const frame = jpeg.findIndex((b, i) => b === 0xff && jpeg[i + 1] === 0xc0);
  new DataView(jpeg.buffer, jpeg.byteOffset).setUint16(frame + 5, 10_000);
  new DataView(jpeg.buffer, jpeg.byteOffset).setUint16(frame + 7, 9999);
  expect(() => decodeColor(jpeg, 'bomb.jpg')).toThrow(/9999×10000/);
});
