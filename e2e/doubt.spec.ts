import { newPiece } from './new-piece.js';
import { expect, test } from './watched-page.js';
import { evenWheelFiles } from './even-wheel.mjs';

const files = evenWheelFiles(4, 16_000);

test('scans that fit in several places are placed in doubt; the operator tries the places and chooses', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await newPiece(page, 'Even wheel');
  await page.getByLabel('Scan files').setInputFiles(files);
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText(/^scan_0\d$/)).toHaveCount(4, { timeout: 240_000 });
  await page.getByRole('link', { name: /^Register/ }).click();
  await page.locator('button[type=submit]', { hasText: 'Register all scans' }).click();

  const doubt = page.getByRole('region', { name: 'Scans in doubt' });
  await expect(doubt.getByText(/scans? in doubt/)).toBeVisible({ timeout: 240_000 });
  const before = await strands.getByText(/placed$/).count();
  expect(before).toBeGreaterThan(0);
  await expect(doubt.getByText('turned by 72°').or(doubt.getByText('turned by 144°')).first()).toBeVisible();
  await expect(
    doubt.getByText(/too even for its paint|fit alike in several places|fits best .* but not surely/),
  ).toBeVisible();

  // The keyboard walks through the places; nothing changes until one is chosen.
  const places = doubt.getByRole('radio');
  await places.first().focus();
  await page.keyboard.press('ArrowDown');
  await expect(places.nth(1)).toBeChecked();
  // Both places at once, to both sides of a divider that a pointer drags.
  await doubt.getByRole('button', { name: 'Compare with now in the view' }).click();
  const divider = page.getByRole('slider', { name: 'Divider: left of it Now, right of it The place tried' });
  await expect(divider).toHaveAttribute('aria-valuenow', '50');
  const at = (await divider.boundingBox())!;
  await page.mouse.move(at.x + at.width / 2, at.y + at.height / 2);
  await page.mouse.down();
  await page.mouse.move(at.x + at.width / 2 + 150, at.y + at.height / 2, { steps: 4 });
  await page.mouse.up();
  await expect(divider).toHaveAttribute('aria-valuenow', /^[67]\d$/);
  await page.getByRole('button', { name: 'End comparing' }).click();
  await expect(divider).toBeHidden();
  await doubt.getByRole('button', { name: 'It belongs in place 1' }).click();
  await expect(strands.getByText(/placed$/)).toHaveCount(before - 1, { timeout: 240_000 });

  // What is left is left where it is; undo brings the doubt back.
  if (before > 1) {
    await doubt.getByRole('button', { name: /^Leave all/ }).click();
    await expect(strands.getByText(/registered$/)).toHaveCount(4, { timeout: 240_000 });
    await expect(doubt).toBeHidden();
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(doubt).toBeVisible();
  }
});
