import type { Placement } from '@amber-knit/core/geometry';
import { fromTranslation, identity } from '@amber-knit/core/math';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { decodePlacements, encodePlacements, encodeScanCloud, placementsRekeyed } from './artifact-codec.js';
import { writeParts } from './file-source.js';

const agreement = { overlap: 2, contradicted: 0.01, paint: 0.1, marks: 12, marksAgree: 0.5 };
const doubt = {
  scans: ['b', 'c'],
  chosen: agreement,
  rivals: [{ pieceFromPiece: fromTranslation(1, 2, 3), agreement }],
};
const placements: Placement[] = [
  {
    name: 'a',
    state: 'registered',
    pieceFromScan: identity(),
    residual: 0.05,
    neighbours: [{ name: 'b', overlapRatio: 0.4, rms: 0.05 }],
    uncertainty: { centre: [1, 2, 3], radius: 40, covariance: new Array<number>(36).fill(0.5) },
  },
  { name: 'b', state: 'placed', pieceFromScan: fromTranslation(4, 5, 6), doubt },
  { name: 'c', state: 'placed', pieceFromScan: fromTranslation(7, 8, 9), doubt },
  { name: 'd', state: 'loose', pieceFromScan: identity() },
];

test('placements come back with the doubt that scans share', () => {
  const back = decodePlacements(encodePlacements(placements).bytes);
  expect(back).toEqual(placements);
  expect(back[1].doubt).toBe(back[2].doubt);
  expect(back[1].doubt!.rivals[0].pieceFromPiece).toBeInstanceOf(Float64Array);
});

test('scans called by other keys are so everywhere in their placements', () => {
  const keys = new Map(['a', 'b', 'c'].map((name) => [name, `id-${name}`]));
  const back = decodePlacements(placementsRekeyed(encodePlacements(placements).bytes, keys).bytes);
  expect(back.map((p) => p.name)).toEqual(['id-a', 'id-b', 'id-c', 'd']);
  expect(back[0].neighbours).toEqual([{ name: 'id-b', overlapRatio: 0.4, rms: 0.05 }]);
  expect(back[1].doubt!.scans).toEqual(['id-b', 'id-c']);
  expect(back[1].doubt).toBe(back[2].doubt);
});

test('what was stored before doubts were kept is still read', () => {
  const old = [{ name: 'a', state: 'registered', pieceFromScan: Array.from(identity()) }];
  expect(decodePlacements(new TextEncoder().encode(JSON.stringify(old)))).toEqual([
    { name: 'a', state: 'registered', pieceFromScan: identity() },
  ]);
});

test('a large cloud is written to a file, with the bytes that a held one has', () => {
  const dir = mkdtempSync(join(tmpdir(), 'amber-codec-'));
  try {
    const n = 2_000_001;
    const positions = new Float32Array(3 * n);
    for (let i = 0; i < n; i++) positions.set([i % 1500, Math.floor(i / 1500), 0], 3 * i);
    const scan = { name: 'a', cloud: { positions } };
    const write = (parts: Iterable<Uint8Array>) => {
      const path = join(dir, 'cloud');
      return { path, length: writeParts(path, parts) };
    };
    const { bytes } = encodeScanCloud(scan, undefined, write);
    if (!('path' in bytes)) throw new Error('It was held.');
    const held = encodeScanCloud(scan).bytes;
    expect(bytes.length).toBe(held.length);
    expect(readFileSync(bytes.path).equals(held)).toBe(true);
    expect(
      encodeScanCloud({ ...scan, cloud: { positions: positions.subarray(0, 300) } }, undefined, write).bytes,
    ).toBeInstanceOf(Uint8Array);
    expect(() => write([])).toThrow(/EEXIST/);
  } finally {
    rmSync(dir, { recursive: true });
  }
});
