import { cieLab, deltaE2000, lightOfLab, labOfLight, LIGHT_OF_SRGB, srgbOfLight } from '../geometry/index.js';
import type { Dab, TexturedMesh } from '../geometry/index.js';
import { identity, invertRigid, lookAt, transformPoint } from '../math/index.js';
import { createRandom } from '../math/random.js';
import { createRunContext } from '../runtime/run-context.js';
import { meshOf, sphere } from '../../test/shapes.js';
import { mapTexels, cornerShares, pixelsOf, unwrapMesh, uvsOf } from '../unwrapping/index.js';
import { pictureFinder } from './picture-source.js';
import { RetouchSession } from './retouch-session.js';
import { faultOfTouches, type Touch } from './touch.js';

const SIZE = 512;
const RADIUS = 20;

type Paint = (x: number, y: number, z: number) => readonly [number, number, number];

/** Calls back with the place of every texel of the charts. */
function eachTexel(mesh: TexturedMesh, visit: (texel: number, x: number, y: number, z: number) => void): void {
  const q = pixelsOf(mesh.cornerUvs, SIZE, SIZE);
  const { texel, first } = mapTexels(q, SIZE);
  const share = new Float64Array(3);
  for (let t = 0; t < mesh.indices.length / 3; t++)
    for (let i = first[t]; i < first[t + 1]; i++) {
      cornerShares(q, t, (texel[i] % SIZE) + 0.5, Math.floor(texel[i] / SIZE) + 0.5, share);
      const [x, y, z] = [0, 1, 2].map((k) =>
        share.reduce((sum, s, c) => sum + s * mesh.positions[3 * mesh.indices[3 * t + c] + k], 0),
      );
      visit(texel[i], x, y, z);
    }
}

let plain: TexturedMesh;
beforeAll(async () => {
  const mesh = meshOf(sphere(RADIUS), RADIUS, 1);
  const atlas = await unwrapMesh(mesh, { mapSize: SIZE }, createRunContext());
  plain = {
    positions: mesh.positions,
    indices: mesh.indices,
    cornerUvs: uvsOf(atlas.cornerPixels, SIZE),
    texture: { width: SIZE, height: SIZE, data: new Uint8Array(3 * SIZE * SIZE) },
  };
});

function painted(paint: Paint): TexturedMesh {
  const data = new Uint8Array(3 * SIZE * SIZE);
  eachTexel(plain, (texel, x, y, z) => data.set(paint(x, y, z), 3 * texel));
  return { ...plain, texture: { width: SIZE, height: SIZE, data } };
}

const rgbAt = ({ texture }: TexturedMesh, texel: number): number[] => [
  ...texture.data.subarray(3 * texel, 3 * texel + 3),
];
/** As `toEqual`, many times as fast. */
const isSame = (a: Uint8Array, b: Uint8Array): boolean => a.length === b.length && a.every((v, i) => v === b[i]);
const top: Dab = [0, 0, RADIUS, 6, 1];
const grey = painted.bind(null, () => [120, 120, 120]);
const full = { opacity: 1, hardness: 1 };

describe('retouching', () => {
  test('paint reaches every texel of the ball across the seams of the map, and nothing else', () => {
    const session = new RetouchSession(grey());
    session.do({ kind: 'paint', ...full, color: [200, 40, 30], dabs: [top] });
    let inside = 0;
    let wrong = 0;
    eachTexel(session.model, (texel, x, y, z) => {
      const near = Math.hypot(x, y, z - RADIUS);
      if (near > 5.9 && near < 6.1) return;
      if (rgbAt(session.model, texel).join() !== (near < 6 ? '200,40,30' : '120,120,120')) wrong++;
      if (near < 6) inside++;
    });
    expect(wrong).toBe(0);
    // A cap of a ball: π times the square of the chord (closed form), in texels.
    expect(inside).toBeGreaterThan(300);
  });

  test('soft edges fall off evenly and dabs of one stroke do not add up', () => {
    const once = new RetouchSession(grey());
    once.do({ kind: 'paint', opacity: 0.5, hardness: 0, color: [255, 255, 255], dabs: [top] });
    const often = new RetouchSession(grey());
    often.do({ kind: 'paint', opacity: 0.5, hardness: 0, color: [255, 255, 255], dabs: [top, top, top, top] });
    expect(isSame(often.model.texture.data, once.model.texture.data)).toBe(true);
    // In the middle half of the way, in light.
    const wanted = srgbOfLight((LIGHT_OF_SRGB[120] + LIGHT_OF_SRGB[255]) / 2);
    let middle = Infinity;
    let shown = 0;
    eachTexel(once.model, (texel, x, y, z) => {
      const near = Math.hypot(x, y, z - RADIUS);
      if (near < middle) [middle, shown] = [near, once.model.texture.data[3 * texel]];
    });
    expect(Math.abs(shown - wanted)).toBeLessThan(3);
  });

  test('tint gives hue and keeps lightness: a grey map in colours', () => {
    const ramp = painted((x) => {
      const v = Math.round(120 + 4 * x);
      return [v, v, v];
    });
    const session = new RetouchSession(ramp);
    session.do({ kind: 'tint', ...full, color: [150, 70, 40], dabs: [top] });
    eachTexel(session.model, (texel, x, y, z) => {
      if (Math.hypot(x, y, z - RADIUS) > 5.5) return;
      const [was] = cieLab(rgbAt(ramp, texel));
      const [l, a, b] = cieLab(rgbAt(session.model, texel));
      expect(Math.abs(l - was)).toBeLessThan(1);
      expect(a).toBeGreaterThan(5);
      expect(b).toBeGreaterThan(5);
    });
  });

  test('a copy brings the pattern of another place, turned with the surface', () => {
    // Stripes round the Y axis; only beyond x = 0 there are any.
    const stripes: Paint = (x, y) => (x > 0 && Math.sin(2 * y) > 0 ? [220, 220, 220] : [60, 60, 60]);
    const session = new RetouchSession(painted(stripes));
    const at = (lon: number): [number, number, number] => [RADIUS * Math.sin(lon), 0, RADIUS * Math.cos(lon)];
    const to = at(-0.7);
    const from = at(0.7);
    session.do({ kind: 'copy', ...full, from, turn: 0, heal: false, dabs: [[...to, 5, 1]] });
    let same = 0;
    let all = 0;
    eachTexel(session.model, (texel, x, y, z) => {
      if (Math.hypot(x - to[0], y - to[1], z - to[2]) > 4) return;
      // Within two texels of a border of stripes rounding decides.
      if (Math.abs(Math.sin(2 * y)) < 0.65) return;
      all++;
      if (session.model.texture.data[3 * texel] === (Math.sin(2 * y) > 0 ? 220 : 60)) same++;
    });
    expect(same / all).toBeGreaterThan(0.97);
  });

  test('healing with a copy takes its detail and the colour of the place: no edge is left', () => {
    // A scratch in a darker half; grain everywhere.
    const grain = (x: number, y: number, z: number): number => 12 * Math.sin(3 * x) * Math.sin(3 * y + 2 * z);
    const clean: Paint = (x, y, z) => {
      const v = Math.round((x > 0 ? 170 : 90) + grain(x, y, z));
      return [v, v, v];
    };
    const to: [number, number, number] = [-12, 0, 16];
    const scratched: Paint = (x, y, z) =>
      Math.abs(y) < 1 && Math.hypot(x - to[0], z - to[2]) < 3 ? [255, 0, 0] : clean(x, y, z);
    const touch = (heal: boolean): Touch => ({
      kind: 'copy',
      opacity: 1,
      hardness: 0.6,
      from: [12, 0, 16],
      turn: 0,
      heal,
      dabs: [[...to, 6, 1]],
    });
    const error = (heal: boolean): number => {
      const session = new RetouchSession(painted(scratched));
      session.do(touch(heal));
      let sum = 0;
      let count = 0;
      eachTexel(session.model, (texel, x, y, z) => {
        if (Math.hypot(x - to[0], y - to[1], z - to[2]) > 5.5) return;
        sum += deltaE2000(cieLab(rgbAt(session.model, texel)), cieLab(clean(x, y, z)));
        count++;
      });
      return sum / count;
    };
    expect(error(true)).toBeLessThan(5);
    expect(error(false)).toBeGreaterThan(20);
  });

  test('a picture gives its colours where it shows the place, and nothing where something stands before it', () => {
    // A camera 80 mm above the ball; its picture is a ramp from left to right, its lower half is hidden.
    const camera = { width: 160, height: 120, fx: 200, fy: 200, cx: 79.5, cy: 59.5 };
    const scanFromSensor = lookAt([0, 0, 100], [0, 0, 0], [0, 1, 0]);
    const depth = new Float32Array(160 * 120);
    const data = new Uint8Array(3 * 160 * 120);
    for (let v = 0; v < 120; v++)
      for (let u = 0; u < 160; u++) {
        const [x, y] = [(u - camera.cx) / camera.fx, (v - camera.cy) / camera.fy];
        // Where the ray meets the ball: t² (x² + y² + 1) − 200 t + 100² − r² = 0.
        const a = x * x + y * y + 1;
        const root = 100 * 100 - a * (100 * 100 - RADIUS * RADIUS);
        depth[v * 160 + u] = v >= 60 ? 40 : root > 0 ? (100 - Math.sqrt(root)) / a : 0;
        data.fill(u + 40, 3 * (v * 160 + u), 3 * (v * 160 + u) + 3);
      }
    const frame = {
      name: 'f',
      camera,
      depth,
      scanFromSensor,
      color: { camera, image: { width: 160, height: 120, data } },
    };
    const cloud = { positions: new Float32Array(0) };
    const scans = [{ name: 's', cloud, frames: [frame] }];
    const placements = [{ name: 's', state: 'registered' as const, pieceFromScan: identity() }];
    const session = new RetouchSession(
      painted(() => [10, 10, 10]),
      pictureFinder(scans, placements),
    );
    session.do({ kind: 'picture', ...full, scan: 's', frame: 'f', heal: false, dabs: [top] });
    let worst = 0;
    let [shown, hidden] = [0, 0];
    const m = invertRigid(scanFromSensor);
    eachTexel(session.model, (texel, x, y, z) => {
      if (Math.hypot(x, y, z - RADIUS) > 5.5) return;
      const [sx, sy, sz] = transformPoint(m, x, y, z);
      const v = (camera.fy * sy) / sz + camera.cy;
      if (Math.abs(v - 59.5) < 1.5) return;
      const got = session.model.texture.data[3 * texel];
      if (v > 60) {
        hidden++;
        worst = Math.max(worst, Math.abs(got - 10));
      } else {
        shown++;
        worst = Math.max(worst, Math.abs(got - ((camera.fx * sx) / sz + camera.cx + 40)));
      }
    });
    expect([shown > 100, hidden > 100]).toEqual([true, true]);
    expect(worst).toBeLessThan(1.6);
    expect(pictureFinder(scans, [{ ...placements[0], state: 'loose' }])('s', 'f')).toBeUndefined();
  });

  test('healing without a source lets the colours around go on', () => {
    const slope = (x: number): number => Math.round(120 + 3 * x);
    const spot: Paint = (x, y, z) => (Math.hypot(x, y, z - RADIUS) < 2 ? [10, 10, 10] : [slope(x), slope(x), slope(x)]);
    const session = new RetouchSession(painted(spot));
    session.do({ kind: 'heal', opacity: 1, hardness: 0.7, dabs: [[0, 0, RADIUS, 4, 1]] });
    eachTexel(session.model, (texel, x, y, z) => {
      if (Math.hypot(x, y, z - RADIUS) > 2.5) return;
      expect(Math.abs(session.model.texture.data[3 * texel] - slope(x))).toBeLessThan(8);
    });
  });

  test('softening lowers grain and sharpening raises it, the mean stays', () => {
    const random = createRandom(3);
    const noisy = painted(() => {
      const v = 120 + Math.round(30 * (random() - 0.5));
      return [v, v, v];
    });
    const spread = (mesh: TexturedMesh): { mean: number; deviation: number } => {
      let [sum, squares, count] = [0, 0, 0];
      eachTexel(mesh, (texel, x, y, z) => {
        if (Math.hypot(x, y, z - RADIUS) > 3) return;
        const v = mesh.texture.data[3 * texel];
        sum += v;
        squares += v * v;
        count++;
      });
      return { mean: sum / count, deviation: Math.sqrt(squares / count - (sum / count) ** 2) };
    };
    const after = (kind: 'soften' | 'sharpen'): { mean: number; deviation: number } => {
      const session = new RetouchSession(noisy);
      session.do({ kind, ...full, dabs: [[0, 0, RADIUS, 4, 1]] });
      return spread(session.model);
    };
    const was = spread(noisy);
    expect(after('soften').deviation).toBeLessThan(0.5 * was.deviation);
    expect(after('sharpen').deviation).toBeGreaterThan(1.3 * was.deviation);
    for (const kind of ['soften', 'sharpen'] as const) expect(Math.abs(after(kind).mean - was.mean)).toBeLessThan(3);
  });

  test('tone in doublings of light, strength and hue', () => {
    const session = new RetouchSession(painted(() => [100, 60, 40]));
    session.do({ kind: 'tone', ...full, lighter: 1, strength: 1, hue: 0, dabs: [top] });
    const wanted = [100, 60, 40].map((c) => srgbOfLight(2 * LIGHT_OF_SRGB[c]));
    eachTexel(session.model, (texel, x, y, z) => {
      if (Math.hypot(x, y, z - RADIUS) > 5.9) return;
      rgbAt(session.model, texel).forEach((c, k) => expect(Math.abs(c - wanted[k])).toBeLessThan(1.5));
    });
    const dull = new RetouchSession(painted(() => [100, 60, 40]));
    dull.do({ kind: 'tone', ...full, lighter: 0, strength: 0, hue: 0, dabs: [top] });
    eachTexel(dull.model, (texel, x, y, z) => {
      if (Math.hypot(x, y, z - RADIUS) > 5.9) return;
      const [r, g, b] = rgbAt(dull.model, texel);
      expect(Math.max(r, g, b) - Math.min(r, g, b)).toBeLessThan(3);
    });
  });

  test('the other side of a thin wall keeps its colours', () => {
    const inner = plain.positions.map((c) => 0.97 * c);
    const n = plain.positions.length / 3;
    const positions = new Float32Array([...plain.positions, ...inner]);
    const indices = new Uint32Array([
      ...plain.indices,
      ...plain.indices
        .slice()
        .reverse()
        .map((v) => v + n),
    ]);
    // Both sides side by side on one map.
    const half = (shift: number, reverse: boolean): number[] => {
      const uvs = Array.from(plain.cornerUvs, (c, i) => (i % 2 === 0 ? c / 2 + shift : c));
      if (!reverse) return uvs;
      const out: number[] = [];
      for (let c = uvs.length - 2; c >= 0; c -= 2) out.push(uvs[c], uvs[c + 1]);
      return out;
    };
    const cornerUvs = Float32Array.from([...half(0, false), ...half(0.5, true)]);
    const texture = { width: SIZE, height: SIZE, data: new Uint8Array(3 * SIZE * SIZE).fill(120) };
    const session = new RetouchSession({ positions, indices, cornerUvs, texture });
    session.do({ kind: 'paint', ...full, color: [255, 0, 0], dabs: [[0, 0, RADIUS, 4, 1]] });
    let inside = 0;
    let outside = 0;
    eachTexel(session.model, (texel, x, y, z) => {
      const red = rgbAt(session.model, texel)[1] === 0;
      if (!red) return;
      if (Math.hypot(x, y, z) < 0.985 * RADIUS) inside++;
      else outside++;
    });
    expect(outside).toBeGreaterThan(100);
    expect(inside).toBe(0);
  });

  test('every stroke can be taken back and done again, to the byte; redo gives what do gave', () => {
    const random = createRandom(11);
    const start = painted((x, y, z) => [100 + 4 * x, 100 + 4 * y, 100 + 4 * z]);
    const session = new RetouchSession(start);
    const kinds = ['paint', 'tint', 'copy', 'heal', 'soften', 'sharpen', 'tone'] as const;
    const states = [session.model.texture.data.slice()];
    for (let i = 0; i < 21; i++) {
      const place = (): [number, number, number] => {
        const v = [random() - 0.5, random() - 0.5, random() - 0.5];
        const l = Math.hypot(...v) / RADIUS;
        return v.map((c) => c / l) as [number, number, number];
      };
      const dabs: Dab[] = [[...place(), 1 + 4 * random(), random()]];
      const common = { opacity: random(), hardness: random(), dabs };
      const kind = kinds[i % kinds.length];
      session.do({
        ...common,
        kind,
        ...(kind === 'paint' || kind === 'tint' ? { color: [10, 200, 90] } : {}),
        ...(kind === 'copy' ? { from: place(), turn: 360 * random(), heal: i % 2 === 0 } : {}),
        ...(kind === 'tone' ? { lighter: 0.5, strength: 1.2, hue: 20 } : {}),
      } as Touch);
      states.push(session.model.texture.data.slice());
    }
    for (let i = 20; i >= 0; i--) {
      session.undo();
      expect(isSame(session.model.texture.data, states[i])).toBe(true);
    }
    expect(session.undo()).toBeUndefined();
    for (let i = 1; i <= 21; i++) {
      session.redo();
      expect(isSame(session.model.texture.data, states[i])).toBe(true);
    }
    // All at once, as the step does it.
    const step = new RetouchSession(start);
    for (const touch of session.touches) step.do(touch);
    expect(isSame(step.model.texture.data, states[21])).toBe(true);
    expect(isSame(start.texture.data, states[0])).toBe(true);
  });

  test('a stroke beside the surface is refused, and so is a picture that is not there', () => {
    const session = new RetouchSession(grey());
    expect(() => session.do({ kind: 'heal', ...full, dabs: [[0, 0, 99, 2, 1]] })).toThrow(
      'there is no surface under the brush',
    );
    expect(() => session.do({ kind: 'picture', ...full, scan: 'a', frame: '1', heal: false, dabs: [top] })).toThrow(
      'no picture 1 of a registered scan a',
    );
    // The brush is on the surface, what it copies from is not.
    const beside: Touch = { kind: 'copy', ...full, from: [900, 0, 0], turn: 0, heal: false, dabs: [top] };
    expect(() => session.do(beside)).toThrow('where it takes its colours from');
    expect(session.touches).toEqual([]);
    expect(session.undo()).toBeUndefined();
  });

  test('a picture that does not show the place changes nothing, and is no stroke', () => {
    const camera = { width: 8, height: 8, fx: 8, fy: 8, cx: 3.5, cy: 3.5 };
    // It looks at the ball from below; the brush is on top.
    const frame = {
      name: 'f',
      camera,
      depth: new Float32Array(64).fill(80),
      scanFromSensor: lookAt([0, 0, -100], [0, 0, 0], [0, 1, 0]),
      color: { camera, image: { width: 8, height: 8, data: new Uint8Array(192).fill(200) } },
    };
    const scans = [{ name: 's', cloud: { positions: new Float32Array(0) }, frames: [frame] }];
    const placements = [{ name: 's', state: 'registered' as const, pieceFromScan: identity() }];
    const start = grey();
    const session = new RetouchSession(start, pictureFinder(scans, placements));
    const touch: Touch = { kind: 'picture', ...full, scan: 's', frame: 'f', heal: true, dabs: [top] };
    expect(() => session.do(touch)).toThrow('where it takes its colours from');
    expect(session.touches).toEqual([]);
    expect(isSame(session.model.texture.data, start.texture.data)).toBe(true);
  });
});

test('light of a CIELAB colour is the way back', () => {
  for (const rgb of [
    [0.02, 0.5, 0.9],
    [0.3, 0.3, 0.3],
    [1, 0, 0],
  ]) {
    const lab = new Float64Array(3);
    const back = new Float64Array(3);
    labOfLight(rgb[0], rgb[1], rgb[2], lab);
    lightOfLab(lab[0], lab[1], lab[2], back);
    rgb.forEach((c, k) => expect(back[k]).toBeCloseTo(c, 3));
  }
});

test.each([
  ['no list', 'must be a list'],
  [[{ kind: 'erase' }], 'must be one of paint, tint, copy'],
  [[{ kind: 'constructor' }], 'must be one of'],
  [[{ kind: 'heal', opacity: 1, hardness: 1, dabs: [] }], 'no lawful dabs'],
  [[{ kind: 'heal', opacity: 2, hardness: 1, dabs: [top] }], 'no lawful opacity'],
  [[{ kind: 'paint', opacity: 1, hardness: 1, dabs: [top], color: [1, 2] }], 'no lawful color'],
  [[{ kind: 'heal', opacity: 1, hardness: 1, dabs: [top], more: 1 }], 'unknown more'],
])('strokes that are none are refused: %j', (value, why) => {
  expect(faultOfTouches(value)).toContain(why);
});
