import { RESTING, withdrawn, withKind, withPlace, type DimensionTool } from './dimension-tool';

const at = (x: number): [number, number, number] => [x, 0, 0];

test('places are picked one by one; the last asks, and the tool begins anew', () => {
  const { tool } = withKind(RESTING, 'angle');
  const one = withPlace(tool, at(1));
  const two = withPlace(one.tool, at(2));
  expect([one.asked, two.asked]).toEqual([undefined, undefined]);
  const three = withPlace(two.tool, at(3));
  expect(three.asked).toEqual({ kind: 'angle', places: [at(1), at(2), at(3)] });
  expect(three.tool).toMatchObject({ kind: 'angle', places: [] });
});

test('shapes and sections are asked for as they are set', () => {
  const shaped: DimensionTool = { ...RESTING, kind: 'relation', shape: 'plane', places: [at(1)] };
  expect(withPlace(shaped, at(2)).asked).toMatchObject({ shapes: ['plane', 'plane'] });
  const cut: DimensionTool = { ...RESTING, kind: 'section', direction: [1, 0, 0] };
  expect(withPlace(cut, at(2)).asked).toEqual({ kind: 'section', places: [at(2)], direction: [1, 0, 0] });
});

test('a kind without places is asked for at once; the same kind again puts the tool down; at rest clicks ask nothing', () => {
  expect(withKind(RESTING, 'holds')).toEqual({ tool: RESTING, asked: { kind: 'holds', places: [] } });
  const { tool } = withKind(RESTING, 'wall');
  expect(withKind(tool, 'wall').tool.kind).toBeNull();
  expect(withPlace(RESTING, at(1))).toEqual({ tool: RESTING });
});

test('Escape takes back the places, then puts the tool down', () => {
  const { tool } = withPlace(withKind(RESTING, 'distance').tool, at(1));
  const once = withdrawn(tool);
  expect(once).toMatchObject({ kind: 'distance', places: [] });
  expect(withdrawn(once).kind).toBeNull();
});
