import { ballFile } from './ball-file.js';
import { newPieceOfSurface, panel } from './new-piece.js';
import { expect, test } from './watched-page.js';

/** Walls in Check: measured in the browser, listed and gone to, and kept as a step. */

test('walls of a bowl are coloured, the thin ones listed, and the look is kept', async ({ page }) => {
  await newPieceOfSurface(page, 'Bowl with walls', ballFile(12));
  await page.getByRole('link', { name: /^Check/ }).click();
  const walls = panel(page, 'Walls');
  await expect(walls).toContainText('not closed');
  // A ball of Ø 60: nowhere is it 70 mm thick.
  await walls.getByRole('spinbutton', { name: /^Thinnest wall/ }).fill('70');
  await walls.getByRole('button', { name: 'Measure the walls' }).click();
  await expect(walls).toContainText(/9\d\.\d % of the surface is thinner than 70/);
  await expect(page.getByRole('figure', { name: 'Thickness of the walls' })).toBeVisible();
  await walls.getByRole('button', { name: 'Go to thin place 1' }).click();
  await walls.getByRole('button', { name: 'Keep as a step' }).click();
  await expect(panel(page, 'Newest result')).toContainText('of the surface thinner than 70');
  await walls.getByRole('checkbox', { name: 'Show walls on the surface' }).click();
  await expect(page.getByRole('figure', { name: 'Thickness of the walls' })).toHaveCount(0);
});
