import { decodeDepthPicture, encodeDepthPng, readIntrinsics, readRgbdScan, readTrajectory } from './rgbd-folder.js';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);

describe('RGB-D folders', () => {
  const camera = { width: 4, height: 2, fx: 3, fy: 3, cx: 1.5, cy: 0.5 };
  const depth = Float32Array.from([0, 100, 200, 300, 0, 0, 350.2, 1]);
  const folder = (): Map<string, Uint8Array> =>
    new Map([
      ['intrinsics.json', text(JSON.stringify({ ...camera, depthUnitsPerMm: 10 }))],
      ['trajectory.txt', text('# time tx ty tz qx qy qz qw\n0.0 0.1 0 0 0 0 0 1\n')],
      ['depth/000.png', encodeDepthPng(depth, camera, 10)],
    ]);

  test('depth, scale and pose are read', () => {
    const [frame] = readRgbdScan(folder()).frames!;
    expect(frame.depth[6]).toBeCloseTo(350.2, 1);
    expect(frame.scanFromSensor[12]).toBeCloseTo(100, 6);
  });

  test('what is missing or wrong is named', () => {
    const f = folder();
    f.delete('trajectory.txt');
    expect(() => readRgbdScan(f)).toThrow(/trajectory.txt is missing/);
    expect(() => readTrajectory('1 2 3\n')).toThrow(/line 1/);
    expect(() => readTrajectory('0 0 0 0 0 0 0 3\n')).toThrow(/quaternion has length 3/);
    expect(() => readIntrinsics('{"width":4}')).toThrow(/height is missing/);
    expect(() => decodeDepthPicture(text('nonsense'), { ...camera, depthUnitsPerMm: 1 }, 'x.png')).toThrow(
      /x.png can't be read/,
    );
  });
});
