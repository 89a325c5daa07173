import { meshOf, sphere, spherePoints } from '../../test/shapes.js';
import {
  decodeCloud,
  decodeFrames,
  decodeMesh,
  encodeCloud,
  encodeFrames,
  encodeMesh,
  progressiveOrder,
} from './index.js';

const mesh = { ...meshOf(sphere(10), 10, 2), colors: undefined as Uint8Array | undefined };
mesh.colors = Uint8Array.from({ length: mesh.positions.length }, (_, i) => (7 * i) % 256);
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const invented = new Uint8Array(mesh.positions.length / 3).fill(1, 0, 10);

describe('bundles', () => {
  test('a cloud keeps its points, in an order whose beginning covers it evenly', () => {
    const positions = spherePoints(5000, 50);
    const { cloud, backdrop } = decodeCloud(
      encodeCloud({ positions, colors: new Uint8Array(15000).fill(3) }, spherePoints(20, 5)),
    );
    const key = (p: Float32Array): string[] =>
      Array.from({ length: p.length / 3 }, (_, i) => p.slice(3 * i, 3 * i + 3).join()).sort();
    expect(key(cloud.positions)).toEqual(key(positions));
    expect(backdrop!.length).toBe(60);
    const first = progressiveOrder(positions).slice(0, 80);
    const octants = new Set(Array.from(first, (i) => [0, 1, 2].map((k) => (positions[3 * i + k] > 0 ? 1 : 0)).join()));
    expect(octants.size).toBe(8);
  });

  test('a mesh and frames come back', () => {
    const back = decodeMesh(encodeMesh({ ...mesh, invented }, mesh.indices.subarray(0, 30)));
    expect(back.positions).toEqual(mesh.positions);
    expect(back.indices).toEqual(mesh.indices);
    expect(back.invented).toEqual(invented);
  });

  test.each([false, true])('frames come back, pictures packed or plain (%s)', (plain) => {
    const camera = { width: 4, height: 2, fx: 3, fy: 3, cx: 1.5, cy: 0.5 };
    const image = { width: 4, height: 2, data: Uint8Array.from({ length: 24 }, (_, i) => 9 * i) };
    const depth = Float32Array.from([0, 100, 200, 300, 0, 0, 350.123, 1]);
    const frame = {
      name: 'a',
      camera,
      depth,
      scanFromSensor: new Float64Array(16),
      color: { camera, image },
      drift: 0.4,
    };
    const [back] = decodeFrames(encodeFrames([frame], plain));
    expect(back.depth[6]).toBeCloseTo(350.123, 1);
    expect(back.depth[0]).toBe(0);
    expect(back.drift).toBe(0.4);
    expect(Array.from(back.color!.image.data)).toEqual(Array.from(image.data));
    const short = { ...frame, color: { camera, image: { ...image, data: image.data.subarray(3) } } };
    if (plain) expect(() => decodeFrames(encodeFrames([short], true))[0].color).toThrow(/not as large/);
  });

  test('foreign and cut bytes are refused', () => {
    expect(() => decodeCloud(text('no bundle at all'))).toThrow(/not the bytes of a bundle/);
    const whole = encodeCloud({ positions: spherePoints(100, 5) });
    expect(() => decodeCloud(whole.subarray(0, whole.length - 10))).toThrow(/incomplete/);
  });
});
