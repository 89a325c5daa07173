import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { FailedPlace } from '@amber-knit/core/geometry';
import { store } from '../../../app/store';
import { lightShown } from '../../../app/view-slice';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { LightMaps, lightMaps } from './light-maps';
import { LightPanel } from './light-panel';
import { fartherAt, rangeText } from './light-words';

const FAILED: FailedPlace[] = [
  { kind: 'missed', place: [1, 2, 3], radius: 2, area: 4 },
  { kind: 'slanted', place: [9, 2, 3], radius: 1, area: 1 },
];

beforeEach(() => {
  Object.assign(URL, { createObjectURL: () => 'blob:map', revokeObjectURL: () => undefined });
  // What the server would stream, as it is read.
  Object.assign(lightMaps, {
    stream: () =>
      Promise.resolve({
        png: new Uint8Array(1),
        maps: { normal: new Uint8Array(1), displacement: new Uint8Array(1) },
        ranges: { displacement: [-0.5, 0.5] },
        failed: FAILED,
      }),
  });
});
afterEach(() =>
  act(() => {
    lightMaps.look(null);
    store.dispatch(lightShown(false));
  }),
);

const bake = stepWith({
  id: 's',
  operationId: 'texture.bake',
  status: 'done',
  inputs: ['mesh', 'model'],
  params: { triangles: 5000, reaches: [] },
  figures: { reach: 0.4 },
});
const made = (more: object = {}) =>
  pieceWith({
    mesh: { id: 'mesh', facts: { triangles: 90_000 } },
    model: { id: 'model', facts: { triangles: 90_000 } },
    light: { id: 'light', facts: { triangles: 5000 }, stepId: 's' },
    ...more,
  } as never);
const region = (): HTMLElement => screen.getByRole('region', { name: 'Light model' });

test('without a light model there is nothing to see', () => {
  showWithServer(<LightPanel piece={made({ light: null })} steps={[]} busy={false} />, {});
  expect(screen.queryByRole('region')).toBeNull();
});

test('a light model that has just been made is shown', () => {
  const { showAnew } = showWithServer(<LightPanel piece={made({ light: null })} steps={[]} busy={false} />, {});
  expect(store.getState().view.light).toBe(false);
  showAnew(<LightPanel piece={made()} steps={[bake]} busy={false} />);
  expect(store.getState().view.light).toBe(true);
});

test('whole or light, one map alone, places lost, and a second try there', async () => {
  const user = userEvent.setup();
  const { asked } = showWithServer(<LightPanel piece={made()} steps={[bake]} busy={false} />, {
    'POST pieces/p/steps': stepWith({ status: 'queued' }),
  });
  await user.click(within(region()).getByRole('button', { name: /Light 5,000/ }));
  expect(store.getState().view.light).toBe(true);
  await waitFor(() => expect(within(region()).getByLabelText('Map shown')).toBeDefined());
  await user.selectOptions(within(region()).getByLabelText('Map shown'), 'displacement');
  expect(store.getState().view.map).toBe('displacement');
  expect(within(region()).getByRole('img', { name: 'The map: Height' })).toBeDefined();
  expect(region().textContent).toContain('Detail lost at 2 places');
  // What is met slantwise is in reach already: looking farther does not help.
  expect(within(region()).queryByRole('button', { name: 'Look farther at place 2' })).toBeNull();
  await user.click(within(region()).getByRole('button', { name: 'Go to place 2' }));
  expect(store.getState().view.lookedAt?.place).toEqual([9, 2, 3]);
  await user.click(within(region()).getByRole('button', { name: 'Look farther at place 1' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'POST')).toBe(true));
  expect(asked.find((a) => a.method === 'POST')!.body).toEqual({
    operationId: 'texture.bake',
    params: { triangles: 5000, reaches: [{ ball: [1, 2, 3, 2.8], reach: 0.8 }] },
  });
  await user.click(within(region()).getByRole('button', { name: 'Compare with the whole' }));
  expect(store.getState().view.compared).toBe('whole');
  await user.click(within(region()).getByRole('button', { name: /Whole/ }));
  expect(store.getState().view).toMatchObject({ light: false, map: null, compared: null });
});

test('colours that are newer than the light model are told', () => {
  const newer = made({ model: { id: 'model 2', facts: {} } });
  showWithServer(<LightPanel piece={newer} steps={[bake]} busy={false} />, {});
  expect(region().textContent).toContain('newer than this light model');
});

test('each try looks twice as far as the last, and keeps what was asked elsewhere', () => {
  const [place] = FAILED;
  const first = fartherAt(place, [], 0.4);
  const second = fartherAt(place, first, 0.4);
  expect(second).toEqual([
    { ball: [1, 2, 3, 2.8], reach: 0.8 },
    { ball: [1, 2, 3, 3.6], reach: 1.6 },
  ]);
  expect(fartherAt(FAILED[1], second, 0.4).at(-1)!.reach).toBe(0.8);
});

test('what the ends of a map stand for', () => {
  expect(rangeText('displacement', [-0.5, 0.5])).toBe('-0.500 mm to 0.500 mm');
  expect(rangeText('curvature', [-0.25, 0.25])).toBe('-0.25 to 0.25 per mm');
  expect(rangeText('normal', undefined)).toBeNull();
});

test('a light model that can’t be read is told in the server’s words', async () => {
  const maps = new LightMaps(() => Promise.reject(new Error('The data could not be fetched (500).')));
  maps.look('light');
  await waitFor(() => expect(maps.current().refused).toBe('The data could not be fetched (500).'));
  maps.look(null);
  expect(maps.current().refused).toBeNull();
});
