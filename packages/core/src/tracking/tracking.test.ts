import { ballDots, ballFrame, sensorAt } from '../../test/dotted-ball.js';
import { lumps, meshOf } from '../../test/shapes.js';
import { integrateFrame, SignedField } from '../fusion/index.js';
import type { DepthFrame } from '../geometry/index.js';
import {
  createRandom,
  fromTwist,
  gaussian,
  identity,
  invertRigid,
  lookAt,
  multiply,
  orthonormalized,
  rotationAngle,
  transformPoint,
  type Mat4,
} from '../math/index.js';
import { rasterizeDepth } from '../mesh/index.js';
import {
  alignProjectively,
  buildDepthPyramid,
  Keyframes,
  CoverageCounter,
  LiveScan,
  type LiveFrameResult,
  localContrast,
  measureExposure,
  measureStandOff,
  ModelSplats,
  projectSplats,
  SPLATS_PER_BLOCK,
  thumbnailOf,
} from './index.js';

const body = meshOf(lumps, 42, 1.6);
const camera = { width: 128, height: 96, fx: 230, fy: 230, cx: 63.5, cy: 47.5 };

function poseAt(deg: number): Mat4 {
  const a = (deg * Math.PI) / 180;
  return lookAt([200 * Math.cos(a), 200 * Math.sin(a), 40], [0, 0, 0], [0, 0, 1]);
}

function frameAt(pose: Mat4, noise = 0.05, seed = 3): Omit<DepthFrame, 'scanFromSensor'> {
  const random = createRandom(seed);
  const { depth } = rasterizeDepth(body, invertRigid(pose), camera);
  return { name: 'frame', camera, depth: depth.map((z) => (z > 0 ? z + noise * gaussian(random) : 0)) };
}

function poseError(a: Mat4, b: Mat4): { shift: number; deg: number } {
  const d = multiply(invertRigid(a), b);
  return { shift: Math.hypot(d[12], d[13], d[14]), deg: (rotationAngle(d) * 180) / Math.PI };
}

test('a plane seen squarely has its points and normals, none at a step', () => {
  const depth = new Float32Array(camera.width * camera.height).fill(200);
  for (let v = 0; v < camera.height; v++) depth.fill(260, v * camera.width + 64, (v + 1) * camera.width);
  const [full, half] = buildDepthPyramid(camera, depth, 2);
  const at = 3 * (40 * camera.width + 20);
  expect(full.points[at + 2]).toBe(200);
  expect(full.points[at]).toBeCloseTo(((20 - 63.5) / 230) * 200, 3);
  expect(Array.from(full.normals.subarray(at, at + 3)).map((x) => Math.round(x * 1e6) / 1e6)).toEqual([0, 0, -1]);
  expect(full.normals[3 * (40 * camera.width + 63) + 2]).toBe(0);
  // The same place has the same coordinates at half the size.
  expect(half.camera.width).toBe(64);
  expect(half.points[3 * (20 * 64 + 10)]).toBeCloseTo(((10 - half.camera.cx) / half.camera.fx) * 200, 3);
});

test('local contrast keeps the pattern and drops exposure and soft shading', () => {
  const light = (gain: number, slope: number): Float32Array =>
    Float32Array.from({ length: 64 * 64 }, (_, i) => {
      const pattern = (Math.floor((i % 64) / 4) + Math.floor(i / 256)) % 2 ? 0.5 : 0.3;
      return gain * pattern * (1 + (slope * (i % 64)) / 64);
    });
  const a = localContrast(light(1, 0), 64, 64);
  const b = localContrast(light(1.4, 0.5), 64, 64);
  let worst = 0;
  for (let v = 8; v < 56; v++)
    for (let u = 8; u < 56; u++) worst = Math.max(worst, Math.abs(a[v * 64 + u] - b[v * 64 + u]));
  expect(worst).toBeLessThan(0.02);
  expect(Math.abs(a[32 * 64 + 32])).toBeGreaterThan(0.15);
});

test('the model as splats lies where the shape is, facing outwards, and a sensor sees it from anywhere', () => {
  const pose = poseAt(0);
  const field = new SignedField(1);
  const frame = { ...frameAt(pose, 0), scanFromSensor: pose };
  const touched = integrateFrame(field, frame, identity(), { truncation: 3, scan: 0 });
  const splats = new ModelSplats(field);
  splats.refresh(touched);
  const off: number[] = [];
  for (const b of touched) {
    for (let k = 0; k < splats.count[b]; k++) {
      const i = 3 * (b * SPLATS_PER_BLOCK + k);
      off.push(Math.abs(lumps(splats.positions[i], splats.positions[i + 1], splats.positions[i + 2])));
    }
  }
  off.sort((a, b) => a - b);
  expect(off.length).toBeGreaterThan(2000);
  // Measured against the shape in closed form, one frame, voxels of 1 mm.
  expect(off[off.length >> 1]).toBeLessThan(0.15);
  expect(off[Math.floor(0.9 * off.length)]).toBeLessThan(0.6);

  const seen = projectSplats(splats, camera, poseAt(8));
  const truth = rasterizeDepth(body, invertRigid(poseAt(8)), camera).depth;
  let both = 0;
  let wrong = 0;
  for (let i = 0; i < truth.length; i++) {
    const z = seen.points[3 * i + 2];
    if (z === 0 || truth[i] === 0) continue;
    both++;
    if (Math.abs(z - truth[i]) > 3) wrong++;
    expect(seen.normals[3 * i] * seen.points[3 * i] + seen.normals[3 * i + 1] * seen.points[3 * i + 1]).toBeLessThan(
      -seen.normals[3 * i + 2] * z,
    );
  }
  expect(both / truth.filter((z) => z > 0).length).toBeGreaterThan(0.7);
  // At silhouettes a splat covers a little more than it should (measured: 3.4 %).
  expect(wrong / both).toBeLessThan(0.05);
});

test('changed blocks are handed out once, in portions', () => {
  const live = new LiveScan({ voxel: 2, distance: 200 });
  live.process(frameAt(poseAt(0)));
  const first = live.surface.changes(5);
  expect(first).toHaveLength(5);
  const rest = live.surface.changes(Infinity);
  expect(rest.length).toBeGreaterThan(20);
  expect(live.surface.changes(Infinity)).toHaveLength(0);
  const all = new Set([...first, ...rest].map((p) => p.block));
  expect(all.size).toBe(first.length + rest.length);
});

test('a capture begun again from stored frames finds its way back and goes on', () => {
  const stored = [0, 4, 8, 12].map((a) => {
    const pose = multiply(invertRigid(poseAt(0)), poseAt(a));
    return { ...frameAt(poseAt(a)), scanFromSensor: pose };
  });
  const live = LiveScan.restore(stored, { voxel: 1.5, distance: 200 });
  const states = [10, 11, 12, 13, 14, 15].map((a) => live.process(frameAt(poseAt(a), 0.05, a)));
  expect(states[0].state).toBe('returning');
  expect(states[5].state).toBe('tracked');
  const e = poseError(multiply(invertRigid(poseAt(0)), poseAt(15)), states[5].pieceFromSensor);
  expect(e.shift).toBeLessThan(1);
});

test('stand-off: distribution, middle and word', () => {
  const range = { near: 200, best: 300, far: 500 };
  const at = (z: number) => measureStandOff(new Float32Array(300).fill(z), 20, 15, range);
  expect(at(300)).toMatchObject({ word: 'good', from: 125, to: 575 });
  expect(at(300).median).toBeCloseTo(300, -1);
  expect(at(205).word).toBe('near');
  expect(at(480).word).toBe('far');
  expect(at(0).word).toBe('nothing');
  expect(at(300).histogram.reduce((a, b) => a + b, 0)).toBeGreaterThan(100);
});

test('exposure: burnt and missing are shares of what the sensor sees', () => {
  const infrared = Uint8Array.from([255, 255, 120, 120, 120, 120, 2, 2]);
  const depth = Float32Array.from([0, 0, 300, 300, 300, 0, 0, 0]);
  const e = measureExposure(depth, infrared);
  expect(e.burnt).toBeCloseTo(2 / 6);
  expect(e.missing).toBeCloseTo(1 / 6);
  expect(measureExposure(new Float32Array(4), new Uint8Array(4))).toEqual({ burnt: 0, missing: 0 });
});

test('a round fills one band of the dial, the top its own', () => {
  const dial = new CoverageCounter([0, 0, 0], [0, 0, 1], [1, 0, 0]);
  const from = (around: number, up: number): Mat4 => {
    const [a, u] = [(around * Math.PI) / 180, (up * Math.PI) / 180];
    return lookAt(
      [300 * Math.cos(u) * Math.cos(a), 300 * Math.cos(u) * Math.sin(a), 300 * Math.sin(u)],
      [0, 0, 0],
      [0, 0, 1],
    );
  };
  for (let a = 1; a < 360; a += 10) dial.add(from(a, 25));
  dial.add(from(10, 80));
  const { counts, sectors, band } = dial.state;
  expect(Array.from(counts.subarray(sectors, 2 * sectors)).every((c) => c > 0)).toBe(true);
  expect(counts.subarray(0, sectors).every((c) => c === 0)).toBe(true);
  expect(band).toBe(3);
  expect(counts[3 * sectors]).toBe(1);
});

test('a frame is aligned with a view of the same body to a fraction of its pixels', () => {
  // A pixel covers 0.87 mm here.
  const model = buildDepthPyramid(camera, frameAt(poseAt(0), 0).depth, 2);
  const frame = buildDepthPyramid(camera, frameAt(poseAt(3), 0.05).depth, 2);
  const r = alignProjectively([
    { frame: frame[1], model: model[1], iterations: 10, maxDistance: 12 },
    { frame: frame[0], model: model[0], iterations: 8, maxDistance: 4 },
  ]);
  expect(r.wellPosed).toBe(true);
  expect(r.inlierRatio).toBeGreaterThan(0.9);
  const e = poseError(multiply(invertRigid(poseAt(0)), poseAt(3)), r.modelFromFrame);
  expect(e.shift).toBeLessThan(0.3);
  expect(e.deg).toBeLessThan(0.1);
});

test('nothing in common is reported, not guessed', () => {
  const model = buildDepthPyramid(camera, frameAt(poseAt(0), 0).depth, 1);
  const empty = buildDepthPyramid(camera, new Float32Array(camera.width * camera.height), 1);
  const r = alignProjectively([{ frame: empty[0], model: model[0], iterations: 5, maxDistance: 5 }]);
  expect(r).toMatchObject({ wellPosed: false, overlapRatio: 0, inlierRatio: 0 });
});

test('keyframes keep their distance and are found again by looks', () => {
  const keyframes = new Keyframes(40, 0.2);
  const look = (deg: number) => thumbnailOf(frameAt(poseAt(deg)).depth, camera.width, camera.height);
  for (let deg = 0; deg < 360; deg += 5) keyframes.offer(poseAt(deg), look(deg));
  expect(keyframes.size).toBeGreaterThan(20);
  expect(keyframes.size).toBeLessThan(45);
  for (const deg of [52, 171, 288])
    expect(poseError(keyframes.mostAlike(look(deg), 1)[0], poseAt(deg)).deg).toBeLessThan(15);
});

test('a slow sweep is tracked, a jump is noticed at once, and the way back is found', () => {
  const live = new LiveScan({ voxel: 1.5, distance: 200 });
  const first = poseAt(0);
  const wanted = (deg: number): Mat4 => multiply(invertRigid(first), poseAt(deg));
  const states: string[] = [];
  for (let deg = 0; deg <= 45; deg += 3) {
    const r = live.process(frameAt(poseAt(deg), 0.05, deg));
    states.push(r.state);
    const e = poseError(wanted(deg), r.pieceFromSensor);
    expect(e.shift).toBeLessThan(1.5);
    expect(e.deg).toBeLessThan(0.4);
  }
  expect(states).toEqual(['first', ...Array<string>(15).fill('tracked')]);

  const blocks = live.field.blockCount;
  for (let k = 0; k < 4; k++) expect(live.process(frameAt(poseAt(190), 0.05, 100 + k)).state).toBe('lost');
  expect(live.process({ ...frameAt(poseAt(0)), depth: new Float32Array(128 * 96) }).state).toBe('lost');
  // What could not be placed left no trace.
  expect(live.field.blockCount).toBe(blocks);

  const back: string[] = [];
  for (let deg = 30; deg >= 18; deg -= 2) {
    const r = live.process(frameAt(poseAt(deg), 0.05, 200 + deg));
    back.push(r.state);
    if (r.state !== 'lost') expect(poseError(wanted(deg), r.pieceFromSensor).shift).toBeLessThan(2);
  }
  expect(back.slice(-2)).toEqual(['tracked', 'tracked']);
  expect(back).toContain('returning');
});

// Ten times as large and as far, or a tenth: the same figures, as shares of the size.
test.each([0.1, 10])('tracking does not depend on size: %d times', (size) => {
  const run = (k: number): { state: string; shift: number; overlap: number }[] => {
    const live = new LiveScan({ voxel: 1.5 * k, distance: 200 * k });
    return Array.from({ length: 12 }, (_, i) => {
      const frame = frameAt(poseAt(4 * i), 0.05, i);
      const r = live.process({ ...frame, depth: frame.depth.map((z) => k * z) });
      const wanted = multiply(invertRigid(poseAt(0)), poseAt(4 * i));
      const found = r.pieceFromSensor.slice() as Mat4;
      for (let c = 12; c < 15; c++) found[c] /= k;
      return { state: r.state, shift: poseError(wanted, found).shift, overlap: r.overlapRatio };
    });
  };
  const [asItIs, scaled] = [run(1), run(size)];
  scaled.forEach((s, i) => {
    expect(s.state).toBe(asItIs[i].state);
    expect(Math.abs(s.shift - asItIs[i].shift)).toBeLessThan(0.02);
    expect(Math.abs(s.overlap - asItIs[i].overlap)).toBeLessThan(0.005);
  });
});

// Seen in a long sweep: without it the rounding errors double with every frame and reach millimetres after forty.
test('carrying a motion on keeps poses rigid when they are made orthonormal', () => {
  let pose = poseAt(0);
  let motion = fromTwist(0.01, 0.05, 0.002, 15, 3, -1);
  for (let i = 0; i < 200; i++) {
    const next = orthonormalized(multiply(pose, motion));
    motion = multiply(invertRigid(pose), next);
    pose = next;
  }
  for (let a = 0; a < 3; a++) {
    for (let b = 0; b < 3; b++) {
      const dot = [0, 1, 2].reduce((s, k) => s + pose[4 * a + k] * pose[4 * b + k], 0);
      expect(dot).toBeCloseTo(a === b ? 1 : 0, 12);
    }
  }
});

describe('a bare ball with marker dots', () => {
  const dots = ballDots();
  const track = (angles: number[], withDots: boolean): { states: string[]; worst: number; last: LiveFrameResult } => {
    const live = new LiveScan({ voxel: 1, distance: 300, dots: withDots });
    let worst = 0;
    const results = angles.map((a, i) => {
      const r = live.process(ballFrame(dots, sensorAt(a), i + 1));
      if (r.state === 'tracked') {
        const wanted = multiply(invertRigid(sensorAt(angles[0])), sensorAt(a));
        const d = multiply(invertRigid(wanted), r.pieceFromSensor);
        const p = transformPoint(d, 0, 0, 300);
        worst = Math.max(worst, Math.hypot(p[0], p[1], p[2] - 300), 60 * rotationAngle(d));
      }
      return r;
    });
    return { states: results.map((r) => r.state), worst, last: results[results.length - 1] };
  };

  test('is tracked by them, quickly moved too', () => {
    const angles = Array.from({ length: 25 }, (_, i) => 5 * i);
    const { states, worst, last } = track(angles, true);
    expect(states.slice(1)).toEqual(angles.slice(1).map(() => 'tracked'));
    // Drift over 120° on a ball, at its surface, mm: known in closed form.
    expect(worst).toBeLessThan(0.6);
    expect(last.dots).toBeGreaterThan(6);
  });

  test('slides without them', () => {
    const { states, worst } = track(
      Array.from({ length: 25 }, (_, i) => 5 * i),
      false,
    );
    expect(states.includes('lost') || worst > 3).toBe(true);
  });

  test('is found back at once where the sensor has been, held quite differently', () => {
    const live = new LiveScan({ voxel: 1, distance: 300, dots: true });
    const at = (a: number, roll = 0): Mat4 => multiply(sensorAt(a), fromTwist(0, 0, roll, 0, 0, 0));
    for (let a = 0; a <= 40; a += 4) live.process(ballFrame(dots, at(a), a + 1));
    expect(live.process(ballFrame(dots, at(200), 90)).state).toBe('lost');
    const r = live.process(ballFrame(dots, at(18, 1), 91));
    expect(r.state).toBe('returning');
    const wanted = multiply(invertRigid(at(0)), at(18, 1));
    expect(poseError(wanted, r.pieceFromSensor).shift).toBeLessThan(0.6);
  });
});
