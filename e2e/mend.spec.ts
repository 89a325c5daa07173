import { ballFile } from './ball-file.js';
import { newPieceOfSurface, panel } from './new-piece.js';
import { expect, test } from './watched-page.js';

/** Mend on a surface that was made elsewhere: it comes in, is worked on by hand, and what is kept is a step like any other. */

test('a surface from elsewhere is brought in, worked on by hand, and kept', async ({ page }) => {
  await newPieceOfSurface(page, 'Bowl from elsewhere', ballFile(12));
  await expect(panel(page, 'Newest result')).toContainText('triangles brought in, 60.0 × 60.0 × ');
  const holes = panel(page, 'Holes');
  await expect(holes.getByRole('listitem')).toHaveCount(1);
  const canvas = page.locator('canvas').first();
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBeGreaterThan(1000);
  const box = (await canvas.boundingBox())!;
  const middle = { x: box.x + box.width / 2, y: box.y + box.height / 2 + 40 };
  const stroke = async (dx: number): Promise<void> => {
    await page.mouse.move(middle.x, middle.y);
    await page.mouse.down();
    await page.mouse.move(middle.x + dx, middle.y, { steps: 4 });
    await page.mouse.up();
  };

  const hand = panel(page, 'By hand');
  const tool = async (name: string): Promise<void> => {
    await hand.getByRole('button', { name, exact: true }).click();
    await expect(page.getByText('The right button turns. Escape ends it.')).toBeVisible();
  };
  await tool('Push');
  await hand.getByLabel('Outwards').fill('4');
  await stroke(40);
  await expect(hand.getByText('1 edit not kept yet.')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(hand.getByText('All taken back.')).toBeVisible();
  await tool('Refill');
  await stroke(30);
  await expect(hand.getByText('1 edit not kept yet.')).toBeVisible();
  // There is a single hole: wherever the surface is clicked, it is the nearest.
  await tool('Fill');
  await page.mouse.click(middle.x, middle.y);
  await expect(hand.getByText('2 edits not kept yet.')).toBeVisible();

  // A closed page loses none of it.
  await page.reload();
  await expect(hand.getByText('2 edits not kept yet.')).toBeVisible();
  await hand.getByRole('button', { name: 'Keep as a step' }).click();
  const result = panel(page, 'Newest result');
  await expect(result).toContainText(/2 edits by hand.*2 places filled/);
  await expect(result).toContainText(/Watertight\s*yes/i);
  await expect(holes).toContainText('has no rim');
  await expect(hand.getByText('not kept yet')).toHaveCount(0);

  // Cut along a line drawn across the view, and back.
  const triangles = await canvas.getAttribute('data-triangles').then(Number);
  await tool('Cut');
  await page.mouse.move(box.x + 80, middle.y);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width - 80, middle.y + 15, { steps: 4 });
  await page.mouse.up();
  await expect(hand.getByText('1 edit not kept yet.')).toBeVisible();
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBeLessThan(0.9 * triangles);
  await hand.getByRole('button', { name: 'Throw away' }).click();
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBe(triangles);

  // What is drawn round goes, on this side of the piece.
  await tool('Lasso');
  await hand.getByRole('checkbox', { name: 'The surface goes on over the place' }).uncheck();
  await page.mouse.move(middle.x - 40, middle.y - 30);
  await page.mouse.down();
  await page.mouse.move(middle.x + 40, middle.y - 30, { steps: 4 });
  await page.mouse.move(middle.x, middle.y + 50, { steps: 4 });
  await page.mouse.up();
  await expect(hand.getByText('1 edit not kept yet.')).toBeVisible();
  const left = await canvas.getAttribute('data-triangles').then(Number);
  expect(left).toBeLessThan(triangles);
  expect(left).toBeGreaterThan(0.9 * triangles);
  await hand.getByRole('button', { name: 'Throw away' }).click();
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBe(triangles);
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(holes.getByRole('listitem')).toHaveCount(1);

  // A bowl is open: said once, it no longer counts as missing.
  const verdict = panel(page, 'What is wrong');
  await expect(verdict).toContainText('Not watertight: 1 hole.');
  await holes.getByRole('checkbox').check();
  await holes.getByRole('button', { name: 'Meant to be open' }).click();
  await expect(verdict).toContainText('Closed but for what is meant to be open: 1 opening.');

  // Put away from the shelf, back again, and removed for good.
  await page.goto('/');
  const more = page.getByRole('button', { name: 'More for Bowl from elsewhere' });
  await more.click();
  await page.getByRole('menuitem', { name: /^Put away/ }).click();
  await page.getByText(/^Put away: 1 piece/).click();
  await page.getByRole('button', { name: 'Put back' }).click();
  await more.click();
  await page.getByRole('menuitem', { name: /^Put away/ }).click();
  await page.getByText(/^Put away: 1 piece/).click();
  await page.getByRole('button', { name: 'Remove …' }).click();
  await page.getByRole('button', { name: 'Remove for good' }).click();
  await expect(page.getByText(/^Put away:/)).toHaveCount(0);
  await expect(more).toHaveCount(0);
});
