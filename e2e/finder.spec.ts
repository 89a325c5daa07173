import { newPiece } from './new-piece.js';
import { expect, test } from './watched-page.js';

/** Places found by words: from the shelf and at the bench, by keys alone. */
test('words lead to the part of a panel that does it, or say what it needs first', async ({ page }) => {
  await newPiece(page, 'Found by words');
  await expect(page.getByRole('region', { name: 'Scans from files' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'What do you want to do?' }).fill('how thick are the walls');
  await expect(page.getByRole('listbox').getByRole('option').first()).toContainText('Walls');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/bench\/check\?at=Walls$/);
  await expect(page.getByText('Walls: Fuse the scans first')).toBeVisible();
  await page.goto('/');
  await page.getByRole('button', { name: 'Find' }).click();
  await page.getByRole('combobox', { name: 'What do you want to do?' }).fill('send a link to the client');
  await page.keyboard.press('Enter');
  await page.getByRole('combobox', { name: 'Name of the piece' }).fill('Found by words');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/bench\/deliver\?at=Shared%20views$/);
  await expect(page.getByRole('region', { name: 'Shared views' })).toHaveAttribute('data-found', '');
  await expect(page.getByRole('region', { name: 'Shared views' })).toBeInViewport();
});
