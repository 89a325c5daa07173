import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { pieceWith, showWithServer } from '../../../test/with-server';
import { RunOnSeveral } from './run-on-several';

const pieces = ['Jug', 'Fork', 'Empty'].map((name) => pieceWith({ id: name, name, scans: name === 'Empty' ? 0 : 3 }));
const recipes = [
  { name: 'quick', title: 'A quick look', steps: [{ operation: 'mend.all' }] },
  { name: 'print', title: 'For printing', steps: [{ operation: 'mend.all' }] },
];

test('a recipe is run on all chosen pieces that have scans; one that refuses does not keep the others', async () => {
  const user = userEvent.setup();
  const { asked } = showWithServer(<RunOnSeveral pieces={pieces} open onClose={() => undefined} />, {
    'GET recipes': recipes,
    'PUT pieces/Fork/guided/recipe': {},
  });
  await user.click(await screen.findByRole('radio', { name: 'For printing' }));
  expect(screen.queryByText('Empty')).toBeNull();
  await user.click(screen.getByRole('checkbox', { name: 'All 2' }));
  await user.click(screen.getByRole('button', { name: 'Run on 2 pieces' }));
  expect(await screen.findByRole('link', { name: 'Fork: begun' })).toBeTruthy();
  expect(screen.getByRole('alert').textContent).toContain('Jug: There is no such thing.');
  expect(asked.filter((a) => a.method === 'PUT').map((a) => a.body)).toEqual([
    { recipe: recipes[1] },
    { recipe: recipes[1] },
  ]);
});

/** A file as a browser gives it; jsdom's can't be read as text. */
const fileOf = (text: string, name: string): File =>
  Object.assign(new File([text], name, { type: 'application/json' }), { text: () => Promise.resolve(text) });

test('a file that is no recipe is told at once, a recipe from a file can be chosen', async () => {
  const user = userEvent.setup();
  showWithServer(<RunOnSeveral pieces={pieces} open onClose={() => undefined} />, { 'GET recipes': recipes });
  const file = await screen.findByLabelText('Recipe file');
  await user.upload(file, fileOf('{', 'torn.json'));
  expect((await screen.findByRole('alert')).textContent).toContain('torn.json is no JSON');
  await user.upload(file, fileOf('{"title":"Ours","steps":[]}', 'ours.json'));
  expect(await screen.findByRole('radio', { name: 'Ours' })).toBeTruthy();
});
