import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { showWithServer } from '../../../test/with-server';
import { MakeRecipe } from './make-recipe';

const recipe = { version: 1, name: 'quick', title: 'A quick look', steps: [{ operation: 'mend.all' }] };

test('the ledger says what of it no other piece can repeat', async () => {
  Object.assign(URL, { createObjectURL: () => 'blob:x', revokeObjectURL: () => undefined });
  showWithServer(<MakeRecipe pieceId="p" />, {
    'GET pieces/p/recipe': { recipe: recipe, notRepeated: ['Cut out points'] },
  });
  await userEvent.click(screen.getByRole('button', { name: 'Make a recipe of this' }));
  await waitFor(() => expect(screen.getByRole('status').textContent).toMatch(/Saved 1 operation\..*Cut out points/));
});

test('a piece to which nothing was done makes no recipe', async () => {
  showWithServer(<MakeRecipe pieceId="p" />, {
    'GET pieces/p/recipe': { recipe: { ...recipe, steps: [] }, notRepeated: [] },
  });
  await userEvent.click(screen.getByRole('button', { name: 'Make a recipe of this' }));
  await waitFor(() => expect(screen.getByRole('status').textContent).toContain('Nothing was done'));
});
