import { readFile } from 'node:fs/promises';
import type { Page } from '@playwright/test';
import { ballSceneFiles } from './ball-scenes.mjs';
import { expect, test } from './watched-page.js';

/** From files to a delivered model by plain answers: what a newcomer does, who never opens the bench. */

const stop = (page: Page, title: string) => page.getByRole('region', { name: title });
const verdict = (page: Page) => page.getByRole('region', { name: 'Verdict' });

/** A new piece for a guided run, with the scans of a scene dropped in. */
async function begun(page: Page, name: string, scans: number): Promise<void> {
  await page.goto('/');
  await page.getByRole('button', { name: 'Make a model for me' }).click();
  await page.getByLabel('Name').fill(name);
  await page.getByRole('button', { name: 'Make it' }).click();
  await page.getByLabel('Scan files').setInputFiles(ballSceneFiles(scans));
  await expect(page.getByRole('heading', { name: scans === 1 ? '1 scan' : `${scans} scans` })).toBeVisible();
}

/** Leaves all that is asked for later, until the verdict stands. */
async function letGo(page: Page): Promise<void> {
  const asked = page.getByRole('region', { name: /\?$/ });
  for (;;) {
    await expect(verdict(page).or(asked)).toBeVisible();
    if (await verdict(page).isVisible()) return;
    const title = (await asked.getAttribute('aria-label'))!;
    await asked.getByRole('button', { name: /^Decide later/ }).press('Enter');
    await expect(stop(page, title)).toHaveCount(0);
  }
}

test('a newcomer gets a model in a dozen clicks, is asked what only a person can tell, and may close the page meanwhile', async ({
  page,
}) => {
  let clicks = 0;
  await page.exposeFunction('countClick', () => clicks++);
  await page.addInitScript(() =>
    addEventListener(
      'pointerdown',
      (e) => e.isTrusted && (window as never as { countClick(): void }).countClick(),
      true,
    ),
  );
  await begun(page, 'Ball for a newcomer', 1);
  expect(await page.getByRole('group').count()).toBeLessThanOrEqual(7);
  await page.getByRole('radio', { name: 'Show it' }).check({ force: true });
  await page.getByRole('radio', { name: 'A quick look' }).check({ force: true });
  await page.getByRole('button', { name: 'Make the model' }).click();

  // The board behind the ball is flat and large: only a person knows that it is none of it.
  const table = stop(page, 'Was that the table?');
  await expect(table).toContainText('Points taken away');
  await page.goto('/');
  await page
    .getByRole('link', { name: /Ball for a newcomer/ })
    .last()
    .click();
  await page.getByRole('button', { name: 'Guided run' }).click();
  await table.getByRole('button', { name: 'Yes, it was', exact: true }).click();

  // Half a ball was seen: the other half is invented.
  const half = stop(page, 'Good enough here?');
  await expect(half).toContainText('Invented');
  await page.reload();
  await half.getByRole('button', { name: 'Good enough', exact: true }).click();
  await expect(verdict(page)).toContainText('the rest is invented');
  await expect(verdict(page)).not.toContainText('nothing about it is in doubt');
  await verdict(page).getByRole('button', { name: 'For the web' }).click();
  const link = verdict(page).getByRole('link', { name: /^Download .*\.glb$/ });
  const [download] = await Promise.all([page.waitForEvent('download'), link.click()]);
  const bytes = await readFile((await download.path())!);
  // The first four bytes of a GLB (glTF 2.0 specification, §4.4.2).
  expect(bytes.subarray(0, 4).toString()).toBe('glTF');
  expect(clicks).toBeLessThanOrEqual(12);
});

test('by keyboard: put back what was taken, pause, go on, work by hand in between, undo', async ({ page }) => {
  await begun(page, 'Ball by keyboard', 1);
  const press = async (name: string): Promise<void> => {
    await page.getByRole('button', { name, exact: true }).focus();
    await page.keyboard.press('Enter');
  };
  await page.getByRole('radio', { name: 'A quick look' }).focus();
  await page.keyboard.press('Space');
  await press('Make the model');
  await expect(stop(page, 'Was that the table?')).toBeVisible();
  await press('No, put it back');
  const run = page.getByRole('region', { name: 'The run' });
  await expect(run.getByRole('listitem').filter({ hasText: 'Remove the support' })).toHaveCount(0);
  await letGo(page);

  // Fused anew by hand, finer: the run takes up what follows.
  await page.getByRole('link', { name: 'Fuse into one surface' }).press('Enter');
  await page.getByRole('spinbutton', { name: /^Resolution/ }).fill('2.5');
  await page.locator('button[type=submit]', { hasText: 'Fuse into one surface' }).press('Enter');
  await expect(page.getByRole('status', { name: 'Guided run' })).toBeVisible();
  await page.getByRole('link', { name: /^(Back to it|Answer)$/ }).click();
  await letGo(page);

  // What is undone stops it, until somebody says where to go on.
  await page.goto(page.url().replace('/guided', '/bench/mend'));
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(page.getByRole('status', { name: 'Guided run' })).toContainText('went back');
  await page.getByRole('link', { name: 'Back to it' }).click();
  await page.getByRole('button', { name: 'Go on' }).press('Enter');
  await letGo(page);
});
