import type { Placement } from '@amber-knit/core/geometry';
import { fromTranslation, identity } from '@amber-knit/core/math';
import { decodePlacements, encodePlacements, placementsRekeyed } from './artifact-codec.js';

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
