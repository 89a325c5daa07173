import { findOperation, OPERATIONS, pieceStats, type SurfaceFacts } from './index.js';

const sound: SurfaceFacts = {
  closed: true,
  holes: 0,
  pieces: 1,
  hasColors: true,
  lowest: 0,
  longest: 120,
  upright: true,
  crossings: 0,
  insideOut: 0,
  lightTriangles: 4000,
};
const worst: SurfaceFacts = {
  closed: false,
  holes: 3,
  pieces: 4,
  hasColors: false,
  lowest: -7,
  longest: 120,
  upright: false,
};
const stats = pieceStats({});
const demanding = OPERATIONS.filter((o) => o.demands);

test.each(demanding.map((o) => [o.id, o] as const))(
  '%s: a sound piece meets all, another is told what mends it',
  (_id, o) => {
    expect(o.demands!(sound, stats).map((d) => [d.label, d.state])).toEqual(
      o.demands!(sound, stats).map((d) => [d.label, 'met']),
    );
    for (const demand of o.demands!(worst, { ...stats, hasFrames: true })) {
      expect(demand.state).not.toBe('met');
      expect(demand.said).toBeTruthy();
      // What mends it can be run by a click, without anything being asked.
      const { byHand, needs } = findOperation(demand.remedy!);
      expect([byHand ?? false, (needs as string[]).includes('file')]).toEqual([false, false]);
    }
  },
);

test('what is demanded is told apart: what must be, and what is better', () => {
  const demands = findOperation('deliver.recognition').demands!(worst, stats);
  expect(demands.filter((d) => d.must).map((d) => d.label)).toEqual(['In one piece']);
  // Without pictures there is nothing to colour it with.
  expect(demands.find((d) => d.label === 'In its own colours')).toMatchObject({
    said: expect.stringMatching(/no pictures/),
  });
  expect(demands.find((d) => d.label === 'In its own colours')!.remedy).toBeUndefined();
});

test('holes, pieces and the ground are told in figures', () => {
  const said = findOperation('deliver.print').demands!(worst, stats).map((d) => d.said);
  expect(said).toEqual(['3 holes open', '4 pieces', 'not looked at yet', 'not looked at yet']);
  expect(findOperation('deliver.cad').demands!(worst, stats)[0].said).toBe('its lowest place at -7.00 mm');
  const through = findOperation('deliver.print').demands!({ ...sound, crossings: 1, insideOut: 1 }, stats);
  expect(through.map((d) => [d.said, d.state]).slice(2)).toEqual([
    ['1 pair of triangles crosses', 'unmet'],
    ['inside out', 'unmet'],
  ]);
});
