import { expect, test, type Locator } from '@playwright/test';
import { ballSceneFiles } from './ball-scenes.mjs';

/** Clicks at a place of a view, as shares of its width and height from the middle. */
async function clickAt(view: Locator, x: number, y: number): Promise<void> {
  const b = (await view.locator('canvas').boundingBox())!;
  await view.page().mouse.click(b.x + b.width * (0.5 + x), b.y + b.height * (0.5 + y));
}

test('a scan is placed by picking the same places in two views; a wrong pair is named and removed', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await page.goto('/');
  await page.getByRole('button', { name: 'New piece' }).click();
  await page.getByLabel('Name').fill('Placed by hand');
  await page.getByRole('button', { name: 'Make it' }).click();
  // The same scene twice: what lies at one place of the left picture lies there in the right one.
  await page.getByLabel('Scan files').setInputFiles(ballSceneFiles(2));
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText(/^view_\d$/)).toHaveCount(2, { timeout: 60_000 });
  await page.getByRole('link', { name: /^Register/ }).click();

  const panel = page.getByRole('region', { name: 'Place by hand' });
  await panel.getByRole('button', { name: 'Place a scan by hand' }).click();
  const left = page.getByRole('region', { name: /^Moves:/ });
  const right = page.getByRole('region', { name: /^Stays:/ });
  for (const view of [left, right]) {
    await expect(view.locator('canvas')).toBeVisible();
    await view.locator('canvas').focus();
    await page.keyboard.press('1');
  }
  await page.waitForTimeout(3000);
  await expect(panel.getByText('3 more pairs are needed.')).toBeVisible();
  const place = panel.getByRole('button', { name: 'Place it' });
  const pairs = panel.getByRole('list', { name: 'Pairs' }).getByRole('listitem');

  await clickAt(left, -0.2, 0.1);
  await expect(pairs.nth(0)).toContainText('pick it on the right');
  await clickAt(right, -0.2, 0.1);
  await clickAt(left, 0.2, 0.1);
  await clickAt(right, 0.2, 0.1);
  await expect(place).toBeDisabled();
  // The middle of the ball, by keyboard.
  await left.locator('canvas').focus();
  await page.keyboard.press('Enter');
  await right.locator('canvas').focus();
  await page.keyboard.press('Enter');
  await expect(pairs).toHaveCount(3);
  await expect(pairs.nth(2)).toContainText(/\d\.\d\d mm off/);
  await expect(place).toBeEnabled();

  await clickAt(left, 0.15, -0.08);
  await clickAt(right, 0.15, -0.08);
  // A fifth pair that is wrong.
  await clickAt(left, -0.15, -0.06);
  await clickAt(right, -0.02, 0.12);
  await expect(panel.getByText(/^Pair 5 disagrees with the others by/)).toBeVisible();
  await panel.getByRole('button', { name: 'Remove pair 5' }).click();
  await expect(panel.getByText(/disagrees/)).toBeHidden();

  await place.click();
  await expect(strands.getByText(/registered$/)).toHaveCount(2, { timeout: 60_000 });
  await expect(page.getByText(/2 of 2 scans registered/)).toBeVisible();

  // How well they fit: distances as colours, and the worst places to look at.
  const fit = page.getByRole('region', { name: 'How well they fit' });
  await fit.getByRole('button', { name: 'Show the distances' }).click();
  await expect(fit.getByText(/^Half of the points lie within 0\.\d+ mm/)).toBeVisible({ timeout: 30_000 });
  await expect(fit.getByRole('img', { name: /distances between the scans/ })).toBeVisible();
  await fit.getByRole('listitem').first().getByRole('button').click();
  await fit.getByRole('button', { name: 'Usual colours' }).click();
  await expect(fit.getByRole('button', { name: 'Show the distances' })).toBeVisible();

  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(strands.getByText(/loose$/)).toHaveCount(2);
});
