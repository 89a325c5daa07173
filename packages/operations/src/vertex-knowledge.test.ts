import { validateBytes } from 'gltf-validator';
import { KNOWN_ATTRIBUTES, NO_ANGLE, NO_PICTURE, NO_SCAN, type TriangleMesh } from '@amber-knit/core/geometry';
import { fillHoles } from '@amber-knit/core/mending';
import { createRunContext } from '@amber-knit/core/runtime';
import { surfaceFromFile } from './read-surface.js';
import { writeMeshFile } from './write-mesh-file.js';

/** A box of 10 mm without its lid; 40 scans, so that their bits take two words; its last corner is invented. */
const names = Array.from({ length: 40 }, (_, k) => (k === 1 ? 'Rüssel\nside' : `scan ${k}`));
const n = 8;
const mesh: TriangleMesh = {
  positions: Float32Array.from({ length: 3 * n }, (_, i) => 10 * ((Math.floor(i / 3) >> (i % 3)) & 1)),
  indices: Uint32Array.of(0, 2, 3, 0, 3, 1, 0, 1, 5, 0, 5, 4, 1, 3, 7, 1, 7, 5, 3, 2, 6, 3, 6, 7, 2, 0, 4, 2, 4, 6),
  invented: Uint8Array.of(0, 0, 0, 0, 0, 0, 0, 1),
  scanCount: Uint8Array.of(1, 2, 3, 4, 5, 6, 7, 0),
  expectedError: Float32Array.of(0.5, 1, 1.5, 2, 2.5, 3, 3.5, NaN),
  bestAngle: Uint8Array.of(0, 10, 20, 30, 40, 50, 60, NO_ANGLE),
  bestScan: Uint32Array.of(0, 1, 39, 3, 4, 5, 6, NO_SCAN),
  bestDistance: Float32Array.of(100, 200, 300, 400, 500, 600, NaN, NaN),
  residual: Float32Array.of(1, 2, 3, 4, 5, 6, 7, NaN),
  scanBits: Uint32Array.from({ length: 2 * n }, (_, i) => (i < 2 * n - 2 ? 0x80000001 + i : 0)),
  meantOpen: Uint8Array.of(0, 0, 1, 0, 0, 0, 1, 0),
  scanNames: names,
  coloredBy: Uint32Array.of(1, 0, 1, 1, 0, 0, 0, NO_PICTURE),
  pictures: [
    { scan: 'Rüssel\nside', frame: 'frame "1", odd' },
    { scan: 'scan 2', frame: 'frame 7' },
  ],
};

test.each(['mm', 'in'] as const)('what vertices know goes out as PLY in %s and comes in again', async (unit) => {
  const { bytes, name } = await writeMeshFile(mesh, { name: 'box', format: 'ply', unit });
  const { mesh: back } = await surfaceFromFile(bytes, name, unit);
  for (const { name: attribute } of KNOWN_ATTRIBUTES) {
    const [is, was] = [Array.from(back[attribute]!), Array.from(mesh[attribute]!)];
    expect(is).toHaveLength(was.length);
    was.forEach((v, i) =>
      Number.isNaN(v) ? expect(is[i]).toBeNaN() : expect(is[i] / (v || 1)).toBeCloseTo(v ? 1 : 0, 5),
    );
  }
  expect(back.pictures).toEqual(mesh.pictures);
  expect(back.scanNames).toEqual(names.map((s) => s.replace('\n', ' ')));
});

test('a GLB with what vertices know is valid, and nothing in it is not a number', async () => {
  const { bytes } = await writeMeshFile(mesh, { name: 'box', format: 'glb', unit: 'mm' });
  const report = await validateBytes(bytes);
  expect(report.issues.numErrors).toBe(0);
  expect(new TextDecoder('latin1').decode(bytes)).toMatch(/_EXPECTED_ERROR.*_BEST_ANGLE.*_RESIDUAL/s);
});

test('what fills a hole knows that nothing was measured there', () => {
  const open = { ...mesh, invented: new Uint8Array(n) };
  const { mesh: filled } = fillHoles(open, {}, createRunContext());
  const after = filled.positions.length / 3;
  expect(filled.scanBits).toHaveLength(2 * after);
  expect(Array.from(filled.scanCount!.subarray(0, n))).toEqual(Array.from(mesh.scanCount!));
  for (let v = n; v < after; v++) {
    expect([filled.invented![v], filled.scanCount![v], filled.bestAngle![v], filled.scanBits![2 * v]]).toEqual([
      1,
      0,
      NO_ANGLE,
      0,
    ]);
    expect(filled.residual![v]).toBeNaN();
  }
});
