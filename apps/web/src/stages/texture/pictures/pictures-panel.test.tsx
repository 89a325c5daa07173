import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { NO_PICTURE } from '@amber-knit/core/geometry';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { isLeftOut, leftOutOrNot, wishText, withWish } from './asked-pictures';
import { pictureColors } from './picture-tints';
import { PicturesClient, picturesClient } from './pictures-client';
import type { FromPictures, ToPictures } from './pictures-messages';
import { PicturesPanel } from './pictures-panel';

/** What the worker is asked, and how it answers. */
let asked: ToPictures[] = [];
let answer: (m: FromPictures) => void;

beforeEach(() => {
  asked = [];
  // There is no drawing here.
  HTMLCanvasElement.prototype.getContext = () => null;
  Object.assign(picturesClient, {
    startWorker: () => {
      const worker = {
        postMessage: (m: ToPictures) => asked.push(m),
        terminate: () => undefined,
        onmessage: (_: unknown) => undefined,
      };
      answer = (data) => act(() => void worker.onmessage({ data }));
      return worker;
    },
  });
});
afterEach(() => act(() => picturesClient.clear()));

const colour = stepWith({
  id: 's',
  operationId: 'texture.map',
  status: 'done',
  params: { mapSize: 1024, pictures: [] },
  figures: { images: 2 },
});
const piece = pieceWith({ model: { id: 'model', facts: { triangles: 9 } } } as never);
const PICTURES = [
  { scan: 'Upright', frame: 'frame 1', share: 0.25 },
  { scan: 'Upright', frame: 'frame 2', share: 0.5 },
];

async function shown() {
  const user = userEvent.setup();
  const server = showWithServer(<PicturesPanel piece={piece} steps={[colour]} busy={false} />, {
    'POST /api/pieces/piece/steps': () => stepWith({ id: 'new', operationId: 'texture.map' }),
  });
  await user.click(screen.getByRole('checkbox', { name: 'Show which picture coloured what' }));
  answer({ tell: 'opened', modelId: 'model', pictures: PICTURES, around: 0.25 });
  return { user, ...server };
}

test('a model that was coloured without pictures has none to show', () => {
  const bare = stepWith({ ...colour, figures: { images: 0 } });
  showWithServer(<PicturesPanel piece={piece} steps={[bare]} busy={false} />, {});
  expect(screen.queryByRole('region', { name: 'Pictures' })).toBeNull();
});

test('pictures are listed by how much they coloured, and what none did is told', async () => {
  await shown();
  expect(asked[0]).toMatchObject({ ask: 'open', modelId: 'model' });
  const rows = within(screen.getByRole('list', { name: 'Pictures by share' })).getAllByRole('listitem');
  expect(rows.map((r) => r.textContent)).toEqual(['Upright, frame 250.0 %', 'Upright, frame 125.0 %']);
  screen.getByText('is coloured from around.', { exact: false });
});

test('a picture is left out, taken in again, and left out of the next colouring', async () => {
  const { user, asked: requests } = await shown();
  expect(screen.queryByRole('button', { name: 'Colour anew' })).toBeNull();
  await user.click(screen.getByRole('button', { name: 'Leave Upright, frame 1 out' }));
  await user.click(screen.getByRole('button', { name: 'Take Upright, frame 1 in again' }));
  expect(screen.queryByRole('button', { name: 'Colour anew' })).toBeNull();
  await user.click(screen.getByRole('button', { name: 'Leave Upright, frame 1 out' }));
  await user.click(screen.getByRole('button', { name: 'Colour anew' }));
  await waitFor(() => expect(requests.some((r) => r.method === 'POST')).toBe(true));
  expect(requests.find((r) => r.method === 'POST')!.body).toMatchObject({
    operationId: 'texture.map',
    params: { mapSize: 1024, pictures: [{ scan: 'Upright', frame: 'frame 1', how: 'not' }] },
  });
});

test('what is asked of pictures is still asked after a look at another stage', async () => {
  const { user, container } = await shown();
  await user.click(screen.getByRole('button', { name: 'Leave Upright, frame 1 out' }));
  act(() => picturesClient.rest());
  expect(within(container).queryByRole('list', { name: 'Pictures by share' })).toBeNull();
  screen.getByText('Not Upright, frame 1, everywhere');
  screen.getByRole('button', { name: 'Colour anew' });
});

test('at a place one learns who coloured it, and asks for another one there', async () => {
  const { user } = await shown();
  act(() => picturesClient.lookAt([1, 2, 3]));
  screen.getByText('Looking for pictures of the place …');
  const part = { width: 80, height: 80 } as ImageBitmap;
  // An answer to an older question counts for nothing.
  answer({ tell: 'place', point: [9, 9, 9], own: 0, seeing: [] });
  screen.getByText('Looking for pictures of the place …');
  const seeing = [{ scan: 'Upright', frame: 'frame 2', angle: 0.2, distance: 300, part }];
  answer({ tell: 'place', point: [1, 2, 3], own: 0, seeing });
  within(screen.getByRole('region', { name: 'The place' })).getByText('Upright, frame 1');
  await user.click(screen.getByRole('button', { name: 'Rather Upright, frame 2 here' }));
  await user.click(screen.getByRole('button', { name: 'Not Upright, frame 2 here' }));
  const wishes = within(screen.getByRole('list', { name: 'Asked of pictures' })).getAllByRole('listitem');
  expect(wishes.map((w) => w.textContent)).toEqual(['Not Upright, frame 2, within 8 mm of a place']);
  await user.click(screen.getByRole('button', { name: /^Take back/ }));
  expect(screen.queryByRole('list', { name: 'Asked of pictures' })).toBeNull();
});

test('what the worker cannot do is said', async () => {
  await shown();
  answer({ tell: 'failed', reason: 'The data could not be fetched (404).' });
  screen.getByText('The data could not be fetched (404).');
});

test('wishes that a colouring had are known once its step is, and are no change', () => {
  const client = new PicturesClient(picturesClient.current());
  client.look('new model', [], []);
  const wish = { scan: 'a', frame: 'b', how: 'not' } as const;
  client.look('new model', [], [wish]);
  expect(client.current()).toMatchObject({ asked: [wish], before: [wish] });
});

test('a wish takes the place of one for the same picture about the same place, and of no other', () => {
  const picture = { scan: 'a', frame: 'b' };
  const here = { ...picture, how: 'not', ball: [0, 0, 0, 5] } as const;
  const beside = { ...picture, how: 'rather', ball: [1, 0, 0, 3] } as const;
  const there = { ...picture, how: 'not', ball: [20, 0, 0, 5] } as const;
  expect(withWish(withWish([], here), beside)).toEqual([beside]);
  const both = withWish([here], there);
  expect(both).toEqual([here, there]);
  const out = leftOutOrNot(both, picture);
  expect([isLeftOut(both, picture), isLeftOut(out, picture), leftOutOrNot(out, picture)]).toEqual([false, true, both]);
  expect(wishText(there)).toBe('Not a, b, within 5 mm of a place');
});

test('each vertex has the tint of its picture, and one that is chosen stands out', () => {
  const known = {
    coloredBy: Uint32Array.of(0, 1, NO_PICTURE),
    pictures: [
      { scan: 'a', frame: '1' },
      { scan: 'a', frame: '2' },
    ],
  };
  const tints = (chosen: number | null): string[] => {
    const bytes = pictureColors(known, chosen)!;
    return [0, 1, 2].map((v) => String(bytes.subarray(3 * v, 3 * v + 3)));
  };
  expect(new Set(tints(null)).size).toBe(3);
  expect(tints(1)[0]).not.toBe(tints(1)[1]);
  expect(tints(1)[2]).toBe(tints(null)[2]);
  expect(pictureColors({}, null)).toBeUndefined();
});
