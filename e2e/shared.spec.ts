import { readFile } from 'node:fs/promises';
import { ballFile } from './ball-file.js';
import { newPieceOfSurface, panel } from './new-piece.js';
import { expect, test } from './watched-page.js';

/** A link for somebody else: made in Deliver, opened by a browser that knows nothing of us, and ended. */

test('a piece is shared with a note and a password, looked at on a phone, and the link is ended', async ({
  page,
  browser,
}) => {
  await newPieceOfSurface(
    page,
    'Bowl to show',
    ballFile(12, (x) => [200, 100 + 90 * x, 60]),
  );
  await page.getByRole('link', { name: /^Check/ }).click();
  await panel(page, 'Dimensions').getByRole('button', { name: 'Note' }).click();
  const canvas = page.locator('canvas').first();
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBeGreaterThan(1000);
  const box = (await canvas.boundingBox())!;
  await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2 + 30);
  await page.getByRole('button', { name: /Note 1/, expanded: true }).waitFor();
  await panel(page, 'Dimensions').getByLabel('Note', { exact: true }).fill('Hairline crack');
  await panel(page, 'Dimensions').getByLabel('Note', { exact: true }).blur();
  await expect(panel(page, 'Newest result')).toContainText('1 dimension');
  await expect(page.getByRole('button', { name: '1: Hairline crack' })).toBeVisible();

  await expect(page.getByRole('status').filter({ hasText: 'All saved' })).toBeVisible();
  await page.getByRole('link', { name: /^Deliver/ }).click();
  const links = panel(page, 'Shared views');
  await links.getByRole('button', { name: 'New link …' }).click();
  await links.getByLabel('For whom').fill('The owner');
  await links.getByLabel('What to tell them').fill('Please look at the crack.');
  await links.getByLabel('Asks for a password').check();
  await links.getByLabel('Password', { exact: true }).fill('heron');
  await links.getByRole('button', { name: 'Make the link' }).click();
  const row = links.getByRole('listitem', { name: 'The owner' });
  await expect(row).toContainText('Not opened yet.');
  const address = await row.getByRole('link', { name: 'Open' }).getAttribute('href');

  // Somebody else, on a phone.
  const phone = await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
  const theirs = await phone.newPage();
  const asked: string[] = [];
  theirs.on('request', (r) => asked.push(new URL(r.url()).pathname));
  await theirs.goto(address!);
  await theirs.getByLabel('This view asks for a password').fill('egret');
  await theirs.getByRole('button', { name: 'Open' }).tap();
  await expect(theirs.getByRole('alert')).toHaveText('That is not the password.');
  await theirs.getByLabel('This view asks for a password').fill('heron');
  await theirs.getByRole('button', { name: 'Open' }).tap();
  await expect(theirs.getByRole('heading', { name: 'Bowl to show' })).toBeVisible();
  await expect(theirs.getByText('Please look at the crack.')).toBeVisible();
  await expect
    .poll(() => theirs.locator('canvas').first().getAttribute('data-triangles').then(Number))
    .toBeGreaterThan(1000);
  await expect(theirs.getByText('Bringing the model …')).toHaveCount(0);
  await panel(theirs, 'Dimensions and notes').getByRole('button').tap();
  await expect(theirs.getByRole('button', { name: '1: Hairline crack' })).toHaveAttribute('aria-pressed', 'true');
  await theirs.getByRole('button', { name: 'True colour' }).tap();
  await expect(theirs.getByRole('menuitem')).toHaveText(['True colour', 'Shape only']);
  await theirs.keyboard.press('Escape');
  await expect(theirs.getByRole('button', { name: 'Wireframe' })).toHaveCount(0);
  // Nothing was asked for but the page, its files and what its token opens.
  expect(asked.filter((path) => !/^\/(s\/|assets\/|icon\.svg|api\/shared\/)/.test(path))).toEqual([]);

  await page.reload();
  await expect(row).toContainText('Opened once');
  await row.getByRole('button', { name: 'End The owner' }).click();
  await page.getByRole('button', { name: 'End the link' }).click();
  await expect(row).toHaveCount(0);
  await theirs.reload();
  await expect(theirs.getByText('There is nothing here')).toBeVisible();
  await phone.close();
});

test('a piece is archived, removed for good, and brought in again with its ledger', async ({ page }) => {
  await newPieceOfSurface(page, 'Bowl to keep', ballFile(12));
  const address = page.url();
  await page.getByRole('link', { name: /^Deliver/ }).click();
  const waiting = page.waitForEvent('download');
  await panel(page, 'Archive')
    .getByRole('link', { name: /^Take the archive/ })
    .click();
  const download = await waiting;
  expect(download.suggestedFilename()).toBe('Bowl to keep.zip');
  const path = await download.path();

  await page.goto('/');
  await page.getByRole('button', { name: 'More for Bowl to keep' }).click();
  await page.getByRole('menuitem', { name: /Put away/ }).click();
  const file = { name: 'Bowl to keep.zip', mimeType: 'application/zip', buffer: await readFile(path) };
  await page.getByLabel('Archive of a piece').setInputFiles([file]);
  await expect(page.getByRole('alert')).toContainText('is here already, put away from the shelf');
  const id = /pieces\/([^/]+)/.exec(address)![1];
  await page.request.delete(`/api/away/${id}`);
  await page.getByLabel('Archive of a piece').setInputFiles([file]);
  await expect(page).toHaveURL(new RegExp(`/pieces/${id}$`));
  await page.goto(address);
  await expect(panel(page, 'Newest result')).toContainText('triangles brought in');
  await expect
    .poll(() => page.locator('canvas').first().getAttribute('data-triangles').then(Number))
    .toBeGreaterThan(1000);
});
