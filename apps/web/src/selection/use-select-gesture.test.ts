import { selectReducer, selectingChanged } from '../app/select-slice';
import { selectorOf } from './use-select-gesture';

const settings = selectReducer(undefined, selectingChanged({ visibleOnly: true, ball: 4, brush: 15 }));
const seen = {
  view: { clipFromView: new Float64Array(16), width: 800, height: 600 },
  eye: [1, 2, 3] as [number, number, number],
};
const of = (tool: Parameters<typeof selectorOf>[0], path: number[], balls: number[] = []) =>
  selectorOf(tool, path, balls, settings, seen);

test('drawings mean nothing until they enclose something', () => {
  expect(of('lasso', [1, 1, 2, 2])).toBeNull();
  expect(of('lasso', [1, 1, 9, 1, 9, 9])).toMatchObject({ kind: 'region', shape: 'lasso', visibleOnly: true });
  expect(of('rectangle', [1, 1])).toBeNull();
  expect(of('rectangle', [10, 20, 30, 50])).toMatchObject({ path: [10, 20, 30, 20, 30, 50, 10, 50] });
  expect(of('brush', [5, 5])).toMatchObject({ shape: 'brush', radius: 15, path: [5, 5] });
});

test('a ball needs a place on the surface; clicks take the last place', () => {
  expect(of('ball', [5, 5])).toBeNull();
  expect(of('ball', [5, 5], [1, 2, 3])).toMatchObject({ kind: 'ball', places: [1, 2, 3], radius: 4 });
  expect(of('piece', [5, 5, 7, 8])).toMatchObject({ kind: 'piece', at: [7, 8] });
  expect(of('color', [7, 8])).toMatchObject({ kind: 'color', tolerance: 12, connected: true });
  expect(of('normal', [7, 8])).toMatchObject({ kind: 'normal', maxAngleDeg: 15 });
  expect(of('plane', [7, 8])).toMatchObject({ kind: 'plane', eye: [1, 2, 3], side: 'on', distance: 1 });
});
