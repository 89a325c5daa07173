import * as THREE from 'three';
import { computeMikkTSpaceTangents } from 'three/examples/jsm/utils/BufferGeometryUtils.js';
import * as MikkTSpace from 'three/examples/jsm/libs/mikktspace.module.js';
import { vertexNormals, type BakedKind, type BakedMap, type NormalMesh, type TriangleMesh } from '../geometry/index.js';
import { createRunContext } from '../runtime/run-context.js';
import { mapTexels, cornerShares, pixelsOf } from '../unwrapping/index.js';
import { bakeMaps, type BakeResult } from './bake-maps.js';
import { meanCurvature } from './curvature.js';
import { openToLight } from './occlusion.js';

const ctx = createRunContext();

/** A ball of many triangles, its surface moved along the normal by `height`, mm. */
function ball(radius: number, around: number, height: (x: number, y: number, z: number) => number): NormalMesh {
  const g = new THREE.SphereGeometry(1, around, around / 2);
  const p = g.getAttribute('position');
  // The seam and the poles become one vertex each.
  const ids = new Map<string, number>();
  const places: number[] = [];
  const of = Array.from({ length: p.count }, (_, i) => {
    const n = [p.getX(i), p.getY(i), p.getZ(i)];
    const key = n.map((c) => Math.round(c * 1e5)).join();
    let id = ids.get(key);
    if (id === undefined) {
      ids.set(key, (id = places.length / 3));
      const r = radius + height(n[0], n[1], n[2]);
      places.push(r * n[0], r * n[1], r * n[2]);
    }
    return id;
  });
  const indices: number[] = [];
  const index = g.getIndex()!;
  for (let h = 0; h < index.count; h += 3) {
    const [a, b, c] = [of[index.getX(h)], of[index.getX(h + 1)], of[index.getX(h + 2)]];
    if (a !== b && b !== c && a !== c) indices.push(a, b, c);
  }
  const mesh: TriangleMesh = { positions: Float32Array.from(places), indices: Uint32Array.from(indices) };
  return { ...mesh, normals: vertexNormals(mesh) };
}

const mapOf = ({ model }: BakeResult, kind: BakedKind): BakedMap => model.maps.find((m) => m.kind === kind)!;

/** Calls back for every texel inside a chart, with its place on the light surface. */
function eachTexel({ model }: BakeResult, visit: (texel: number, place: number[]) => void): void {
  const { width } = model.texture;
  const q = pixelsOf(model.cornerUvs, width, width);
  const { texel, first, inside } = mapTexels(q, width);
  const share = new Float64Array(3);
  for (let t = 0; t < model.indices.length / 3; t++)
    for (let i = first[t]; i < first[t + 1]; i++) {
      if (!inside[i]) continue;
      cornerShares(q, t, (texel[i] % width) + 0.5, Math.floor(texel[i] / width) + 0.5, share);
      const place = [0, 1, 2].map((k) =>
        share.reduce((sum, s, c) => sum + s * model.positions[3 * model.indices[3 * t + c] + k], 0),
      );
      visit(texel[i], place);
    }
}

describe('baking', () => {
  const relief = (x: number, y: number, z: number): number => 0.2 * Math.sin(9 * x) * Math.sin(8 * y) * Math.cos(7 * z);
  const dense = ball(20, 240, relief);
  const light = ball(20, 40, () => 0);
  let r: BakeResult;
  beforeAll(async () => {
    r = await bakeMaps(dense, light, { mapSize: 512 }, ctx);
  });

  it('gives heights that follow the relief, and says what its numbers stand for', () => {
    const { data, range } = mapOf(r, 'displacement');
    let worst = 0;
    eachTexel(r, (texel, [x, y, z]) => {
      const l = Math.hypot(x, y, z);
      // The light ball is many-sided: its faces lie within the true one.
      const height = range![0] + ((range![1] - range![0]) * data[texel]) / 65_535;
      worst = Math.max(worst, Math.abs(l + height - (20 + relief(x / l, y / l, z / l))));
    });
    expect(worst).toBeLessThan(0.03);
  });

  it('gives normals in the object’s frame as the relief has them, and the same in tangent space', () => {
    const { data } = mapOf(r, 'object-normal');
    const tangent = mapOf(r, 'normal').data;
    let sum = 0;
    let count = 0;
    let apart = 0;
    eachTexel(r, (texel, [x, y, z]) => {
      const l = Math.hypot(x, y, z);
      // By differences of the relief's own formula.
      const at = (dx: number, dy: number, dz: number): number => {
        const m = Math.hypot(x / l + dx, y / l + dy, z / l + dz);
        return m - relief((x / l + dx) / m, (y / l + dy) / m, (z / l + dz) / m) / 20;
      };
      const e = 1e-4;
      const n = [at(e, 0, 0) - at(-e, 0, 0), at(0, e, 0) - at(0, -e, 0), at(0, 0, e) - at(0, 0, -e)];
      const shown = [0, 1, 2].map((k) => data[3 * texel + k] / 127.5 - 1);
      const cos = n.reduce((s, c, k) => s + c * shown[k], 0) / (Math.hypot(...n) * Math.hypot(...shown));
      sum += Math.acos(Math.min(1, cos));
      count++;
      // The light ball's own normals point outwards: both maps tell the same angle to them.
      const tilt = Math.acos(Math.min(1, tangent[3 * texel + 2] / 127.5 - 1));
      const own = Math.acos(Math.min(1, (x * shown[0] + y * shown[1] + z * shown[2]) / (l * Math.hypot(...shown))));
      apart = Math.max(apart, Math.abs(tilt - own));
    });
    expect(((sum / count) * 180) / Math.PI).toBeLessThan(1);
    expect(apart).toBeLessThan(0.12);
  });

  it('fails nowhere where the surfaces lie close', () => {
    expect(r.failedShare).toBe(0);
    expect(r.model.failed).toEqual([]);
    expect(r.displacement).toBeLessThan(0.4);
  });

  it('takes tangents that three computes too', () => {
    const g = new THREE.BufferGeometry();
    const corners = (values: Float32Array): Float32Array =>
      Float32Array.from(
        { length: 3 * r.model.indices.length },
        (_, i) => values[3 * r.model.indices[Math.floor(i / 3)] + (i % 3)],
      );
    g.setAttribute('position', new THREE.BufferAttribute(corners(r.model.positions), 3));
    g.setAttribute('normal', new THREE.BufferAttribute(corners(r.model.normals), 3));
    g.setAttribute('uv', new THREE.BufferAttribute(r.model.cornerUvs, 2));
    return MikkTSpace.ready.then(() => {
      computeMikkTSpaceTangents(g, MikkTSpace, false);
      const theirs = g.getAttribute('tangent').array;
      const off = Array.from(theirs, (c, i) => Math.abs(c - r.model.cornerTangents[i]));
      expect(Math.max(...off)).toBeLessThan(1e-6);
    });
  });

  it('lists where the dense surface is missing, and finds it where it is told to look farther', async () => {
    // A dent far deeper than anything else, and looking only so far.
    const dented = ball(20, 240, (_x, _y, z) => (z > 0.9 ? -4 * Math.sin((Math.PI / 2) * ((z - 0.9) / 0.1)) : 0));
    const near = await bakeMaps(dented, light, { mapSize: 256, reach: 0.5 }, ctx);
    expect(near.failedShare).toBeGreaterThan(0.01);
    expect(near.model.failed).toHaveLength(1);
    const [{ place, radius, area, kind }] = near.model.failed;
    expect(kind).toBe('missed');
    expect(Math.hypot(place[0], place[1], place[2] - 20)).toBeLessThan(3);
    // A cap of 0.1 · 20 mm height has 2π · 20 · 2 mm² (closed form); the dent's rim is found.
    expect(area).toBeGreaterThan(0.6 * 2 * Math.PI * 40);
    expect(area).toBeLessThan(1.1 * 2 * Math.PI * 40);
    const regions = [{ ball: [...place, radius + 2] as [number, number, number, number], reach: 6 }];
    const far = await bakeMaps(dented, light, { mapSize: 256, reach: 0.5, regions }, ctx);
    expect(far.model.failed.filter((f) => f.kind === 'missed')).toEqual([]);
    expect(far.displacement).toBeGreaterThan(3.5);
  });

  it('does not take the other side of a thin wall', async () => {
    // A shell 0.4 mm thick: the light one has both sides, and looks 5 mm far.
    const inside = (mesh: NormalMesh): TriangleMesh => ({
      positions: mesh.positions.map((c) => c * 0.98),
      indices: mesh.indices.slice().reverse(),
    });
    const shell = (outer: NormalMesh): TriangleMesh => {
      const inner = inside(outer);
      const n = outer.positions.length / 3;
      const positions = new Float32Array(2 * outer.positions.length);
      positions.set(outer.positions);
      positions.set(inner.positions, outer.positions.length);
      const indices = new Uint32Array(2 * outer.indices.length);
      indices.set(outer.indices);
      indices.set(
        inner.indices.map((v) => v + n),
        outer.indices.length,
      );
      return { positions, indices };
    };
    const both = await bakeMaps(
      shell(ball(20, 120, () => 0)),
      shell(ball(20, 80, () => 0)),
      { mapSize: 256, reach: 5 },
      ctx,
    );
    expect(both.displacement).toBeLessThan(0.2);
    expect(both.failedShare).toBe(0);
  });

  it('carries colours from the dense surface’s vertices', async () => {
    const colors = new Uint8Array(dense.positions.length);
    for (let v = 0; v < colors.length; v += 3) colors.set(dense.positions[v] > 0 ? [200, 30, 30] : [30, 30, 200], v);
    const colored = await bakeMaps({ ...dense, colors }, light, { mapSize: 128 }, ctx);
    eachTexel(colored, (texel, [x]) => {
      if (Math.abs(x) < 2) return;
      const shown = Array.from(colored.model.texture.data.subarray(3 * texel, 3 * texel + 3));
      expect(shown).toEqual(x > 0 ? [200, 30, 30] : [30, 30, 200]);
    });
  });

  it('asks for a surface where there is none', async () => {
    const none = { positions: new Float32Array(0), indices: new Uint32Array(0) };
    await expect(bakeMaps(none, light, {}, ctx)).rejects.toThrow('no surface to bake');
  });
});

describe('what is known at the dense vertices', () => {
  it('curvature of a ball is 1/r, of its inside −1/r', () => {
    const mesh = ball(20, 120, () => 0);
    const k = meanCurvature(mesh).slice().sort();
    expect(k[k.length >> 1]).toBeCloseTo(1 / 20, 3);
    const turned = { ...mesh, indices: mesh.indices.slice().reverse(), normals: mesh.normals.map((c) => -c) };
    expect(meanCurvature(turned).slice().sort()[k.length >> 1]).toBeCloseTo(-1 / 20, 3);
  });

  it('a ball is open to all light; before a high wall half of it is gone, farther off (1 + cos α) / 2 is left', async () => {
    for (const open of await openToLight(
      ball(20, 60, () => 0),
      100,
      0.01,
      ctx,
    ))
      expect(open).toBe(1);
    // A floor before a wall so high that only its foot counts; α is the angle at which its top stands.
    const wall = 400;
    const distances = [0.05, 2, 4, 8];
    const positions: number[] = [];
    const indices: number[] = [];
    distances.forEach((d) => {
      positions.push(d, -0.01, 0, d + 0.02, 0.01, 0, d, 0.01, 0);
      const v = positions.length / 3;
      indices.push(v - 3, v - 2, v - 1);
    });
    const v = positions.length / 3;
    positions.push(0, -wall, 0, 0, wall, 0, 0, wall, 6, 0, -wall, 6);
    indices.push(v, v + 1, v + 2, v, v + 2, v + 3);
    const mesh = { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
    const open = await openToLight({ ...mesh, normals: vertexNormals(mesh) }, Infinity, 1e-3, ctx);
    // An infinitely long wall of angle α hides (1 − cos β) / 2 with β its height: view factor of two plates (Howell, A catalog of radiation heat transfer configuration factors, C-14; from memory).
    distances.forEach((d, i) => {
      const beta = Math.atan2(6, d);
      expect(open[3 * i]).toBeCloseTo(1 - (1 - Math.cos(beta)) / 2, 1);
    });
  });
});
