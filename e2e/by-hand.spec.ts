import { newPiece } from './new-piece.js';
import { expect, test, type Locator, type Page } from './watched-page.js';
import { ballSceneFiles } from './ball-scenes.mjs';

/** Clicks at a place of a view, as shares of its width and height from the middle. */
async function clickAt(view: Locator, x: number, y: number): Promise<void> {
  const b = (await view.locator('canvas').boundingBox())!;
  await view.page().mouse.click(b.x + b.width * (0.5 + x), b.y + b.height * (0.5 + y));
}

/** Looks at both from the front, once they are there. */
async function fromFront(page: Page, ...views: Locator[]): Promise<void> {
  for (const view of views) {
    await expect(view.locator('canvas')).toBeVisible();
    await view.locator('canvas').focus();
    await page.keyboard.press('1');
  }
  await page.waitForTimeout(3000);
}

/** A piece with the same scene twice: what lies at one place of one scan lies there in the other. Begins by hand. */
async function twice(page: Page, name: string, lastScale = 1): Promise<{ strands: Locator; panel: Locator }> {
  await newPiece(page, name);
  await page.getByLabel('Scan files').setInputFiles(ballSceneFiles(2, lastScale));
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText(/^view_\d$/)).toHaveCount(2, { timeout: 240_000 });
  await page.getByRole('link', { name: /^Register/ }).click();
  const panel = page.getByRole('region', { name: 'Place by hand' });
  await panel.getByRole('button', { name: 'Place a scan by hand' }).click();
  return { strands, panel };
}

test('a scan is placed by picking the same places in two views; a wrong pair is named and removed', async ({
  page,
}) => {
  test.setTimeout(180_000);
  const { strands, panel } = await twice(page, 'Placed by hand');
  const left = page.getByRole('region', { name: /^Moves:/ });
  const right = page.getByRole('region', { name: /^Stays:/ });
  await fromFront(page, left, right);
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
  await expect(strands.getByText(/registered$/)).toHaveCount(2, { timeout: 240_000 });
  await expect(page.getByText(/2 of 2 scans registered/)).toBeVisible();

  // How well they fit: distances as colours, and the worst places to look at.
  const fit = page.getByRole('region', { name: 'How well they fit' });
  await fit.getByRole('button', { name: 'Show the distances' }).click();
  await expect(fit.getByText(/^Half of the points lie within 0\.\d+ mm/)).toBeVisible({ timeout: 240_000 });
  await expect(fit.getByRole('img', { name: /distances between the scans/ })).toBeVisible();
  await fit.getByRole('listitem').first().getByRole('button').click();
  await fit.getByRole('button', { name: 'Usual colours' }).click();
  await expect(fit.getByRole('button', { name: 'Show the distances' })).toBeVisible();

  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(strands.getByText(/loose$/)).toHaveCount(2);
});

test('a scan is seized, moved until it snaps, put back, moved by keys, and fitted finely', async ({ page }) => {
  test.setTimeout(180_000);
  const { strands, panel } = await twice(page, 'Moved by hand');
  await panel.getByRole('button', { name: 'Move it' }).click();
  const lies = panel.getByRole('status');
  await expect(lies).toHaveText('Not moved yet');
  const view = page.getByRole('region', { name: /^Moves:/ }).locator('canvas');
  await view.focus();
  await page.keyboard.press('1');
  await page.waitForTimeout(2500);

  // It lies to the right of the other; beside both a drag only turns the view.
  const box = (await view.boundingBox())!;
  const at = (x: number, y: number): [number, number] => [box.x + box.width * x, box.y + box.height * y];
  await page.mouse.move(...at(0.5, 0.04));
  await page.mouse.down();
  await page.mouse.move(...at(0.5, 0.04));
  await page.mouse.up();
  await expect(lies).toHaveText('Not moved yet');
  await page.mouse.move(...at(0.75, 0.5));
  await page.mouse.down();
  await expect(view).toHaveAttribute('data-held', 'true');
  await page.mouse.move(...at(0.7, 0.4), { steps: 5 });
  await page.mouse.up();
  await expect(lies).toContainText('nothing to snap to');
  await panel.getByRole('button', { name: 'Back to where it was' }).click();
  await expect(lies).toHaveText('Not moved yet');

  // To the left until it snaps, let go only then.
  await page.mouse.move(...at(0.75, 0.5));
  await page.mouse.down();
  for (let x = 0.75; x > 0.1; x -= 0.01) {
    await page.mouse.move(...at(x, 0.5));
    await page.waitForTimeout(120);
    // Board on board it slides on; ball on ball it has come to rest.
    if (Number(await view.getAttribute('data-snapped')) > 90) break;
  }
  await page.mouse.up();
  await expect(lies).toContainText(/Snapped: (9\d|100) % of it lies on the others/);
  await expect(page.getByText(/0\.\d\d mm/).first()).toBeVisible();

  await panel.getByRole('button', { name: 'Place it' }).click();
  await expect(strands.getByText(/registered$/)).toHaveCount(2, { timeout: 240_000 });
  // The same scene twice: it belongs where the other lies, to a fraction of a millimetre.
  const pieceId = page.url().split('/pieces/')[1].split('/')[0];
  const piece = (await (await page.request.get(`/api/pieces/${pieceId}`)).json()) as {
    scanList: { placement: { pieceFromScan: number[] } }[];
  };
  const [a, b] = piece.scanList.map((s) => s.placement.pieceFromScan);
  for (let k = 0; k < 16; k++) expect(Math.abs(a[k] - b[k])).toBeLessThan(k < 12 ? 0.01 : 0.5);

  // By keys, from its place: it comes away, and back it snaps.
  await panel.getByRole('button', { name: 'Place a scan by hand' }).click();
  await expect(lies).toHaveText('Not moved yet');
  await view.focus();
  await page.keyboard.press('ArrowUp');
  await expect(lies).toContainText(/Snapped/);
});

test('a scan without a true size is made as large as the places picked say', async ({ page }) => {
  test.setTimeout(180_000);
  const { strands, panel } = await twice(page, 'Of another size', 0.8);
  await panel.getByLabel('Moves').selectOption({ label: 'view_1' });
  await panel.getByRole('button', { name: 'Pick places' }).click();
  const left = page.getByRole('region', { name: /^Moves: view_1/ });
  const right = page.getByRole('region', { name: /^Stays: view_2/ });
  await fromFront(page, left, right);
  for (const [x, y] of [
    [-0.2, 0.1],
    [0.2, 0.1],
    [0.15, -0.08],
    [0, 0],
  ]) {
    await clickAt(left, x, y);
    await clickAt(right, x, y);
  }
  await expect(panel.getByText(/^Distances differ by a factor of 0\.\d\d/)).toBeVisible();
  const larger = panel.getByRole('button', { name: /^Make it 0\.\d{3} times as large/ });
  expect(Math.abs(Number(/0\.\d+/.exec(await larger.innerText())![0]) - 0.8)).toBeLessThan(0.02);
  await larger.click();
  await expect(panel.getByText(/^Distances differ/)).toBeHidden({ timeout: 240_000 });
  await expect(panel.getByRole('button', { name: 'Place it' })).toBeEnabled({ timeout: 240_000 });
  await panel.getByRole('button', { name: 'Place it' }).click();
  await expect(strands.getByText(/(registered|placed)$/)).toHaveCount(2, { timeout: 240_000 });
});
