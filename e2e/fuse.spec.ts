import { writeE57 } from '@amber-knit/core/io';
import { identity } from '@amber-knit/core/math';
import { newPiece, panel } from './new-piece.js';
import { expect, test, type Page } from './watched-page.js';

/** Fuse on a small piece: shape, preview, how well it was measured, which scans count where, compare. */

const RADIUS = 30;

/** Two thirds of a ball as a scanner above and one below would see it; the lower one stands 0.4 mm too high. */
function twoViews(): Uint8Array {
  const view = (name: string, up: 1 | -1) => {
    const positions: number[] = [];
    for (let i = 0; i < 12_000; i++) {
      const z = 1 - (2 * (i + 0.5)) / 12_000;
      if (up * z < -0.3) continue;
      const phi = i * Math.PI * (3 - Math.sqrt(5));
      const r = Math.sqrt(1 - z * z) * RADIUS;
      positions.push(r * Math.cos(phi), r * Math.sin(phi), RADIUS * z + (up < 0 ? 0.4 : 0));
    }
    const cloud = { positions: Float32Array.from(positions), normals: Float32Array.from(positions, (x) => x / RADIUS) };
    return { name, cloud, pieceFromScan: identity() };
  };
  return writeE57([view('Seen from above', 1), view('Seen from below', -1)]);
}

const fuse = async (page: Page): Promise<void> => {
  await page.locator('button[type=submit]', { hasText: 'Fuse into one surface' }).click();
  await expect(panel(page, 'Newest result')).toContainText(/triangles at/);
};

test('a surface is fused, looked through, and fused anew by what a person says of its scans', async ({ page }) => {
  await newPiece(page, 'Two views of a ball');
  await page
    .getByLabel('Scan files')
    .setInputFiles([{ name: 'ball.e57', mimeType: 'application/octet-stream', buffer: Buffer.from(twoViews()) }]);
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText('Seen from below', { exact: true })).toBeVisible();
  await page.getByRole('link', { name: /^Fuse:/ }).click();
  await page.getByRole('combobox', { name: /^Shape/ }).selectOption('crisp');
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByText(/Preview at \d.* the shape is seen/)).toBeVisible();
  await page.getByRole('button', { name: 'Close' }).click();
  await fuse(page);
  const canvas = page.locator('canvas').first();
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBeGreaterThan(500);

  // What lies under the pointer says who measured it.
  const box = (await canvas.boundingBox())!;
  const middle = { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  await expect(async () => {
    await page.mouse.move(middle.x + 3 * Math.random(), middle.y);
    await expect(page.getByLabel('Reading')).toContainText(/measured by \d scans?, best from Seen from .* at \d+°/, {
      timeout: 500,
    });
  }).toPass();

  const known = panel(page, 'How well measured');
  await known.getByRole('checkbox', { name: 'Show it on the surface' }).check();
  await known.getByRole('combobox', { name: 'By' }).selectOption('scans');
  await expect(known).toContainText(/% of the measured surface is measured by fewer than 2 scans/);
  await expect(known.getByRole('img')).toHaveAttribute('aria-label', /^Histogram of number of scans/);
  await known.getByRole('button', { name: 'Go to place 1' }).click();
  await known.getByRole('checkbox', { name: 'Show it on the surface' }).uncheck();

  const trust = panel(page, 'Which scans count where');
  await trust.getByRole('button', { name: 'Mark a place' }).click();
  await trust.getByRole('checkbox', { name: 'Seen from above' }).check();
  await trust.getByLabel('Name').fill('Upper half');
  await page.mouse.click(middle.x, middle.y);
  await expect(trust).toContainText('1 ball marked');
  await page.keyboard.press('Escape');
  await expect(trust.getByRole('button', { name: 'Mark a place' })).toBeVisible();
  await trust.getByRole('button', { name: 'Mark a place' }).click();
  await trust.getByRole('checkbox', { name: 'Seen from above' }).check();
  await trust.getByLabel('Name').fill('Upper half');
  await page.mouse.click(middle.x, middle.y);
  await trust.getByRole('button', { name: 'Keep' }).click();
  await expect(trust.getByRole('listitem')).toContainText('Upper half: only these Seen from above');

  // Its own undo, and the surface is out of date for as long as it does not go by it.
  const stage = page.getByRole('link', { name: /^Fuse:/ });
  await expect(stage).toHaveAccessibleName(/out of date/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(trust.getByRole('listitem')).toHaveCount(0);
  await expect(stage).not.toHaveAccessibleName(/out of date/);
  await page.getByRole('button', { name: 'Redo' }).click();
  await expect(trust.getByRole('listitem')).toHaveCount(1);
  await fuse(page);
  await expect(stage).not.toHaveAccessibleName(/out of date/);
  await page.getByRole('button', { name: 'Compare with before' }).click();
  await expect(page.getByRole('slider')).toBeVisible();
});
