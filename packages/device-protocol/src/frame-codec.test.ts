import { decodeFrame, encodeFrame, type DeviceFrame } from './index.js';

const camera = { width: 5, height: 3, fx: 10.5, fy: 11, cx: 2, cy: 1 };
const whole: DeviceFrame = {
  sequence: 41,
  time: 1234.5,
  angle: 30,
  depth: {
    camera,
    unit: 0.5,
    data: Uint16Array.from({ length: 15 }, (_, i) => 1000 * i),
    infrared: Uint8Array.from({ length: 15 }, (_, i) => i),
  },
  color: { camera: { ...camera, width: 3, height: 2 }, data: Uint8Array.from({ length: 18 }, (_, i) => 200 - i) },
  pose: Float64Array.from({ length: 16 }, (_, i) => i / 3),
};

test('a frame comes back as it was sent, whatever parts it has', () => {
  expect(decodeFrame(encodeFrame(whole))).toEqual(whole);
  for (const leave of ['depth', 'color', 'pose', 'angle'] as const) {
    const part = { ...whole };
    delete part[leave];
    expect(decodeFrame(encodeFrame(part))).toEqual(part);
  }
});

test('the header lies where the document says, little endian', () => {
  const v = new DataView(encodeFrame(whole));
  expect(String.fromCharCode(...new Uint8Array(v.buffer, 0, 4))).toBe('AKDF');
  expect([v.getUint16(4, true), v.getUint16(6, true), v.getUint32(8, true)]).toEqual([1, 7, 41]);
  expect([v.getFloat64(16, true), v.getFloat32(24, true), v.getFloat32(28, true)]).toEqual([1234.5, 0.5, 30]);
  expect([v.getUint16(32, true), v.getUint16(34, true), v.getFloat32(36, true)]).toEqual([5, 3, 10.5]);
  // 15 depths of 2 bytes end at 110; the next part begins at a multiple of 8.
  expect(v.getUint16(82, true)).toBe(1000);
  expect(v.getUint8(80 + 32 + 14)).toBe(14);
});

test.each([
  ['nothing', () => new ArrayBuffer(0), /at least 80 bytes/],
  ['something else', () => new ArrayBuffer(200), /does not begin like a frame/],
  ['a cut frame', () => encodeFrame(whole).slice(0, 120), /cut off/],
  [
    'a longer frame',
    () => {
      const b = new Uint8Array(encodeFrame(whole).byteLength + 8);
      b.set(new Uint8Array(encodeFrame(whole)));
      return b.buffer;
    },
    /8 bytes more/,
  ],
  [
    'a lying size',
    () => {
      const b = encodeFrame(whole);
      new DataView(b).setUint16(32, 65535, true);
      return b;
    },
    /not possible/,
  ],
  [
    'a later version',
    () => {
      const b = encodeFrame(whole);
      new DataView(b).setUint16(4, 2, true);
      return b;
    },
    /version 2/,
  ],
])('%s is refused with its fault', (_name, bytes, message) => {
  expect(() => decodeFrame(bytes())).toThrow(message);
});
