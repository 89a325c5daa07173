import { createRunContext } from '@amber-knit/core/runtime';
import { BoxGeometry } from 'three';
import { checkMeasure, CheckMeasureParams, headlineOf } from './check-measure.js';
import { measuredText } from './quantity-text.js';
import { paramFields, parseParams, parseParamText } from './params.js';

const geometry = new BoxGeometry(60, 40, 20);
const mesh = {
  positions: Float32Array.from(geometry.getAttribute('position').array),
  indices: Uint32Array.from(geometry.getIndex()!.array),
};
const width = {
  name: 'Width',
  note: 'at the lip',
  kind: 'distance',
  places: [
    [-30, 0, 10],
    [30, 0, 10],
  ],
};
const run = (dimensions: object[]) =>
  checkMeasure.run({ mesh }, parseParams(CheckMeasureParams, { dimensions }), createRunContext({ seed: 1 }));

test('the sheet holds what was asked and what was found; figures and words tell it', async () => {
  const gone = {
    ...width,
    name: 'Elsewhere',
    places: [
      [900, 0, 0],
      [0, 0, 10],
    ],
  };
  const { outputs, figures } = await run([width, gone]);
  expect(outputs.dimensions.asked.map((d) => d.name)).toEqual(['Width', 'Elsewhere']);
  expect(figures).toEqual({ dimensions: 2, lost: 1, invented: 0, list: 'Width: 60.00 mm; Elsewhere: not measured' });
  expect(checkMeasure.summarize(figures)).toBe('2 dimensions, 1 of them not measured');
  expect(headlineOf(outputs.dimensions.found[0], outputs.dimensions.asked[0])).toBe('60.00 mm');
});

test('no dimensions are a sheet too: the last one can be taken away', async () => {
  const { outputs, figures } = await run([]);
  expect(outputs.dimensions).toEqual({ asked: [], found: [] });
  expect(checkMeasure.summarize(figures)).toBe('0 dimensions');
});

test('uncertainties are told as twice the standard deviation', () => {
  expect(measuredText({ kind: 'length', value: 84.2, uncertainty: 0.02 })).toBe('84.20 mm ± 0.040 mm');
  expect(measuredText({ kind: 'angle', value: Math.PI / 2 })).toBe('90.00°');
});

test.each([
  [
    'places that are no places',
    {
      ...width,
      places: [
        [1, 2],
        [0, 0, 0],
      ],
    },
    /places of three numbers/,
  ],
  [
    'a place beyond all bounds',
    {
      ...width,
      places: [
        [1, 2, 1e300],
        [0, 0, 0],
      ],
    },
    /places of three numbers/,
  ],
  ['a kind that is not known', { ...width, kind: 'weight' }, /kind/],
  ['a direction of zeros', { ...width, kind: 'section', places: [[0, 0, 0]], direction: [0, 0, 0] }, /not all 0/],
  ['a name that is none', { ...width, name: 7 }, /name/],
  ['something that is not asked for', { ...width, colour: 'red' }, /colour/],
])('%s are refused', (_, dimension, fault) => {
  expect(() => parseParams(CheckMeasureParams, { dimensions: [dimension] })).toThrow(fault);
});

test('the command line takes the list as JSON', () => {
  const fields = paramFields(CheckMeasureParams);
  expect(parseParamText(fields, 'dimensions', JSON.stringify([width]))).toEqual([width]);
  expect(() =>
    parseParams(CheckMeasureParams, { dimensions: parseParamText(fields, 'dimensions', 'nonsense') }),
  ).toThrow();
});

test('how far a place lies off the reference is read from the comparison, signed; without one it says so', async () => {
  const at = (name: string, place: number[]) => ({ name, note: '', kind: 'off', places: [place] });
  const asked = [at('Top', [0, 0, 10]), at('Side', [30, 5, 2]), at('Unseen', [-30, 0, 0])];
  const params = parseParams(CheckMeasureParams, { dimensions: asked });
  // Off by a hundredth of X: known in closed form everywhere, also between the corners. What lies left was not seen.
  const values = Float32Array.from({ length: mesh.positions.length / 3 }, (_, v) => {
    const x = mesh.positions[3 * v];
    return geometry.getAttribute('normal').getX(v) < -0.5 ? NaN : 0.2 + x / 100;
  });
  const deviation = { values, tolerance: 0.1, reference: 'mould.stl', referenceFromPiece: [], worst: [] };
  const { outputs } = await checkMeasure.run({ mesh, deviation }, params, createRunContext({ seed: 1 }));
  const { found } = outputs.dimensions;
  expect(found.map((f) => f.values[0]?.value.toFixed(4))).toEqual(['0.2000', '0.5000', undefined]);
  expect(found[2].fault).toMatch(/Nothing of the reference is near/);
  expect(headlineOf(found[1], outputs.dimensions.asked[1])).toBe('+0.500 mm');
  const without = await checkMeasure.run({ mesh }, params, createRunContext({ seed: 1 }));
  expect(without.outputs.dimensions.found[0].fault).toMatch(/not compared with a reference/);
});
