import { newPiece } from './new-piece.js';
import { expect, test } from './watched-page.js';
import { ballSceneFiles } from './ball-scenes.mjs';

test('scans are renamed, noted, found, chosen together and moved to another setup; undo takes it back', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await newPiece(page, 'Kept in order');
  await page.getByLabel('Scan files').setInputFiles(ballSceneFiles(6));
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText(/^view_\d$/)).toHaveCount(6, { timeout: 240_000 });

  await strands.getByRole('button', { name: 'Card of view_2' }).click();
  const card = page.getByRole('dialog', { name: 'view_2' });
  await expect(card.getByText(/^[\d,]+$/).first()).toBeVisible();
  await card.getByLabel('Name').fill('view_1');
  await card.getByRole('button', { name: 'Save' }).click();
  await expect(card.getByText(/There is a scan "view_1" already/)).toBeVisible();
  await card.getByLabel('Name').fill('rim, from above');
  await card.getByLabel('Note').fill('shaky hand #rim');
  await card.getByLabel('Colour 5').check();
  await card.getByRole('button', { name: 'Save' }).click();
  await expect(card).toBeHidden();
  await expect(strands.getByText('rim, from above')).toBeVisible();

  // A word with # is a tag.
  await strands.getByRole('button', { name: '#rim', exact: true }).click();
  await expect(strands.getByRole('listitem')).toHaveCount(1);
  await strands.getByRole('button', { name: '#rim', exact: true }).click();
  await expect(strands.getByRole('listitem')).toHaveCount(6);
  await strands.getByLabel('Find strands').fill('shaky');
  await expect(strands.getByRole('listitem')).toHaveCount(1);
  await strands.getByLabel('Find strands').fill('');
  // By keys: along the list, choosing on the way; nothing chosen; one hidden and shown again.
  const chosen = strands.getByRole('region', { name: 'Chosen strands' });
  await strands.getByLabel('Order of the strands').selectOption('Name');
  await strands.getByRole('button', { name: 'Card of view_4' }).focus();
  await page.keyboard.press('Shift+ArrowDown');
  await expect(strands.getByRole('button', { name: 'Card of view_5' })).toBeFocused();
  await expect(strands.getByRole('checkbox', { checked: true })).toHaveCount(2);
  await page.keyboard.press('Escape');
  await expect(strands.getByRole('checkbox', { checked: true })).toHaveCount(0);
  await page.keyboard.press('h');
  await strands.getByRole('button', { name: 'Show view_5', exact: true }).click();
  await strands.getByRole('button', { name: 'Card of view_4' }).focus();
  await page.keyboard.press('Space');
  await strands.getByLabel('Choose rim, from above').check();
  await chosen.getByLabel('Setup for the chosen strands').fill('Upside down');
  await chosen.getByRole('button', { name: 'Move' }).click();
  const upside = strands.getByRole('region', { name: 'Upside down' });
  await expect(upside.getByRole('listitem')).toHaveCount(2);
  await strands.getByRole('listitem').filter({ hasText: 'view_3' }).dragTo(upside);
  await expect(upside.getByRole('listitem')).toHaveCount(3);

  // Any version is one click away, and back.
  const versions = page.getByRole('button', { name: 'Versions' });
  await versions.click();
  await page.getByRole('menuitem', { name: /^Import scans.*view_6/ }).click();
  await expect(upside).toBeHidden();
  await expect(strands.getByText('view_2', { exact: true })).toBeVisible();
  await versions.click();
  await page
    .getByRole('menuitem', { name: /undone/ })
    .first()
    .click();
  await expect(upside.getByRole('listitem')).toHaveCount(3);

  const undo = page.getByRole('button', { name: 'Undo', exact: true });
  await undo.click();
  await expect(upside.getByRole('listitem')).toHaveCount(2);
  await undo.click();
  await expect(upside).toBeHidden();
  await undo.click();
  await expect(strands.getByText('view_2', { exact: true })).toBeVisible();

  // Doubled within the piece.
  await strands.getByLabel('Choose view_5').check();
  await strands.getByLabel('Choose view_4').uncheck();
  await strands.getByLabel('Choose view_2').uncheck();
  await chosen.getByRole('button', { name: 'Copy' }).click();
  await expect(strands.getByText('view_5 2', { exact: true })).toBeVisible({ timeout: 240_000 });
});

test('in a section only what lies in it is selected', async ({ page }) => {
  test.setTimeout(120_000);
  await newPiece(page, 'In section');
  await page.getByLabel('Scan files').setInputFiles(ballSceneFiles(1));
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText(/^view_\d$/)).toHaveCount(1, { timeout: 240_000 });
  await page.getByRole('link', { name: /^Clean/ }).click();
  const select = page.getByRole('region', { name: 'Select points' });
  const selected = async (): Promise<number> => {
    const text = (await select.getByRole('status', { name: 'Selection' }).textContent()) ?? '';
    return Number(/[\d,]+/.exec(text)?.[0].replaceAll(',', '') ?? 0);
  };
  await select.getByRole('button', { name: 'Lasso' }).click();
  await select.getByRole('button', { name: 'All', exact: true }).click();
  await expect.poll(selected).toBeGreaterThan(1000);
  const all = await selected();
  await page.getByRole('button', { name: 'Section' }).click();
  const section = page.getByRole('region', { name: 'Section' });
  await section.getByRole('button', { name: 'Across X' }).click();
  await section.getByLabel('Thickness').fill('20');
  await select.getByRole('button', { name: 'All', exact: true }).click();
  await expect.poll(selected).toBeLessThan(0.25 * all);
  expect(await selected()).toBeGreaterThan(0.02 * all);
  await page.getByRole('button', { name: 'Section' }).click();
  await expect(section).toBeHidden();
});
