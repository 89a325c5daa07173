import { meshOf, sphere, spherePoints } from '../../test/shapes.js';
import {
  decodeCloud,
  decodeFrames,
  decodeMesh,
  cloudParts,
  encodeCloud,
  encodeFrames,
  encodeMesh,
  normalsOf,
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

  test('the order is that of the Morton codes, read in bit-reversed numbers', () => {
    const n = 1000;
    // Along x only: the codes rise with x, equal ones stay as they come.
    const positions = Float32Array.from({ length: 3 * n }, (_, i) => (i % 3 === 0 ? ((i / 3) * 617) % n : 0));
    const cells = Array.from({ length: n }, (_, i) => Math.floor((positions[3 * i] * 511) / (n - 1)));
    const sorted = cells.map((_, i) => i).sort((a, b) => cells[a] - cells[b] || a - b);
    const reversed = Array.from({ length: 1024 }, (_, i) =>
      parseInt([...i.toString(2).padStart(10, '0')].reverse().join(''), 2),
    );
    expect(Array.from(progressiveOrder(positions))).toEqual(reversed.filter((r) => r < n).map((r) => sorted[r]));
  });

  test('a cloud part by part is the same bytes; normals come back, also as older versions stored them', () => {
    const positions = spherePoints(40_000, 50);
    const normals = positions.map((v) => v / 50);
    const colors = Uint8Array.from({ length: positions.length }, (_, i) => i % 251);
    const whole = encodeCloud({ positions, colors, normals }, spherePoints(20, 5), { viewpoints: [[1, 2, 3]] });
    const parts = [...cloudParts({ positions, colors, normals }, spherePoints(20, 5), { viewpoints: [[1, 2, 3]] })]
      .length;
    expect(parts).toBe(1 + 3 + 1);
    let at = 0;
    for (const part of cloudParts({ positions, colors, normals }, spherePoints(20, 5), { viewpoints: [[1, 2, 3]] })) {
      expect(Buffer.compare(part, whole.subarray(at, at + part.length))).toBe(0);
      at += part.length;
    }
    expect(at).toBe(whole.length);
    const { cloud } = decodeCloud(whole);
    for (let i = 0; i < positions.length; i += 301) expect(cloud.normals![i]).toBeCloseTo(cloud.positions[i] / 50, 4);
    expect(normalsOf(normals)).toBe(normals);
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
