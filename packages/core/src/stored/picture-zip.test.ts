import { zipSync } from 'fflate';
import { decodePictureZip, encodePictureZip, pictureZipParts } from './index.js';

const picture = (n: number): Uint8Array => Uint8Array.of(0x89, 0x50, n);

test('pictures come back by their numbers, whatever else the zip holds', () => {
  const zip = zipSync({
    'turn/10.png': picture(10),
    'turn/2.PNG': picture(2),
    'turn/1.jpeg': picture(1),
    'turn/notes.txt': picture(0),
    '__MACOSX/turn/1.png': picture(0),
    '../../outside/3.jpg': picture(3),
  });
  const found = decodePictureZip(zip).map((p) => p.bytes[2]);
  expect([...found].sort((a, b) => a - b)).toEqual([1, 2, 3, 10]);
  expect(found.indexOf(1)).toBeLessThan(found.indexOf(2));
  expect(found.indexOf(2)).toBeLessThan(found.indexOf(10));
});

test('what is packed comes back in order with its kind of picture', () => {
  const packed = Array.from({ length: 120 }, (_, i) => ({ name: i % 2 ? 'a.png' : 'camera.JPG', bytes: picture(i) }));
  const back = decodePictureZip(encodePictureZip(packed));
  expect(back.map((p) => p.bytes[2])).toEqual(packed.map((p) => p.bytes[2]));
  expect(back[3].name).toBe('003.png');
  expect(back[4].name).toBe('004.JPG');
});

test('part by part it holds the same pictures', async () => {
  const packed = Array.from({ length: 12 }, (_, i) => ({ name: i % 2 ? 'a.png' : 'b.jpg', bytes: picture(i) }));
  const parts: Uint8Array[] = [];
  for await (const part of pictureZipParts(12, (i) => Promise.resolve(packed[i]))) parts.push(part.slice());
  const back = decodePictureZip(Uint8Array.from(parts.flatMap((p) => [...p])));
  expect(back).toEqual(decodePictureZip(encodePictureZip(packed)));
});

describe('refused in words', () => {
  const plain = zipSync({ '1.png': new Uint8Array(5000) }, { level: 9 });

  test('no zip, a cut zip, one without pictures', () => {
    expect(() => decodePictureZip(Uint8Array.of(1, 2, 3))).toThrow(/damaged/);
    expect(() => decodePictureZip(plain.subarray(0, plain.length - 30))).toThrow(/damaged/);
    expect(() => decodePictureZip(zipSync({ 'a.txt': picture(1) }))).toThrow(/no PNG or JPEG/);
  });

  test('a picture that would unpack beyond all need is not unpacked', () => {
    // The size that the directory tells: 4 GB less one byte.
    const bomb = plain.slice();
    const view = new DataView(bomb.buffer);
    for (let i = 0; i + 46 < bomb.length; i++) {
      if (view.getUint32(i, true) === 0x02014b50) view.setUint32(i + 24, 0xfffffffe, true);
    }
    expect(() => decodePictureZip(bomb)).toThrow(/more than a recording needs/);
  });

  test('more pictures than any turn needs', () => {
    const many = Object.fromEntries(Array.from({ length: 5001 }, (_, i) => [`${i}.png`, new Uint8Array(0)]));
    expect(() => decodePictureZip(zipSync(many, { level: 0 }))).toThrow(/more than a recording needs/);
  });
});
