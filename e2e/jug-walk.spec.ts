import { readFile } from 'node:fs/promises';
import { newPiece } from './new-piece.js';
import { expect, test, type Page } from './watched-page.js';
import { validateBytes } from 'gltf-validator';

/** The demo piece from loose scans to a GLB file, by mouse only. */

/** Presses an operation's button and waits for its result in the panel. */
async function run(page: Page, title: string, result: RegExp): Promise<void> {
  await page.getByRole('button', { name: title, exact: true }).and(page.locator('[type=submit]')).click();
  await expect(page.getByRole('region', { name: 'Newest result' })).toContainText(result, { timeout: 240_000 });
}

const canvas = (page: Page) => page.locator('canvas');

test('the jug from scans to a valid GLB', async ({ page }) => {
  const errors: string[] = [];
  page.on('pageerror', (e) => errors.push(e.message));
  await page.goto('/');
  await page.getByRole('link', { name: /Galley jug/ }).click();
  await expect(page.getByRole('heading', { name: 'Galley jug' })).toBeVisible();
  const opened = Date.now();
  await page.getByRole('button', { name: 'Open the bench' }).click();
  await expect
    .poll(async () => Number(await canvas(page).getAttribute('data-points')), { intervals: [50] })
    .toBeGreaterThan(10_000);
  console.log(`first points ${Date.now() - opened} ms after opening the bench`);
  await expect.poll(async () => Number(await canvas(page).getAttribute('data-points'))).toBeGreaterThan(200_000);

  await page.getByRole('link', { name: /^Clean/ }).click();
  // What would go is marked first, and just that goes.
  await page.getByRole('button', { name: 'Mark what would go' }).first().click();
  const marked = page.getByRole('status', { name: 'Selection' }).getByText(/^[\d,]+ points in 8 scans$/);
  await expect(marked).toBeVisible({ timeout: 240_000 });
  const going = (await marked.textContent())!.replace(/ points.*/, '');
  await run(page, 'Remove the support', new RegExp(`Support removed in 8 of 8 scans: ${going} points`));
  await page.getByRole('button', { name: 'Remove stray points', exact: true }).click();
  await run(page, 'Remove stray points', /stray points removed/);
  await page.getByRole('link', { name: /^Register/ }).click();
  await run(page, 'Register all scans', /8 of 8 scans registered/);
  await expect(page.getByText('registered').first()).toBeVisible();
  // Whether it is good: the verdict, every pair, and what holds each scan, shown by rocking it.
  const hold = page.getByRole('region', { name: 'How they hold together' });
  await expect(hold.getByText('They hold together', { exact: true })).toBeVisible();
  await hold.getByRole('button', { name: 'Pairs' }).click();
  const pair = hold.getByRole('button', { name: /^Handle side and Lip side: \d+ % overlap, 0\.\d+ mm apart/ });
  await pair.focus();
  await expect(hold.getByText(/^Handle side and Lip side: \d+ % overlap/)).toBeVisible();
  await hold.getByRole('button', { name: 'What holds each scan' }).click();
  const slack = hold.getByRole('button', { name: /^Lip side ± 0\.\d+ mm/ });
  await slack.click();
  await expect(slack).toHaveAttribute('aria-pressed', 'true');
  await slack.click();
  await hold.getByRole('button', { name: 'How the fit came to rest' }).click();
  await expect(hold.getByRole('img', { name: /^Movement in \d+ iterations, the last 0\.\d+ mm/ })).toBeVisible();
  // Before and after, to both sides of a divider.
  await page.getByRole('button', { name: 'Compare with before' }).click();
  const divider = page.getByRole('slider', { name: 'Divider: left of it Before: Register all scans, right of it Now' });
  await expect(divider).toHaveAttribute('aria-valuenow', '50');
  const view = (await canvas(page).boundingBox())!;
  const clip = { x: view.x + view.width / 2 - 160, y: view.y + view.height / 2 - 100, width: 120, height: 200 };
  const picture = async (): Promise<Buffer> => {
    await page.waitForTimeout(1500);
    return page.screenshot({ clip });
  };
  const look = async (key: string): Promise<Buffer> => {
    await divider.press(key);
    return picture();
  };
  expect((await look('Home')).equals(await look('End'))).toBe(false);
  await divider.press('Escape');
  await expect(divider).toBeHidden();
  // Edges are shaded as long as it is wished.
  const shaded = await picture();
  await page.getByRole('button', { name: 'Edges', pressed: true }).click();
  expect((await picture()).equals(shaded)).toBe(false);
  await page.getByRole('button', { name: 'Edges', pressed: false }).click();
  // A locked scan stays; that itself changes nothing else.
  await page.getByLabel('Choose Handle side').check();
  await page.getByRole('button', { name: 'Lock', exact: true }).click();
  await expect(page.getByRole('img', { name: 'locked' })).toHaveCount(1);
  await page.getByRole('button', { name: 'None', exact: true }).click();
  await expect(hold.getByText('They hold together', { exact: true })).toBeVisible();
  // Where to scan next: places with what they would show, drawn in the view.
  const next = page.getByRole('region', { name: 'Where to scan next' });
  await next.getByRole('button', { name: 'Find places' }).click();
  await expect(next.getByText(/^About \d+\.\d cm² are unseen/)).toBeVisible({ timeout: 240_000 });
  const best = next.getByRole('listitem').first().getByRole('button');
  await expect(best).toContainText(/\d+ %.*as it lay in Upright|lay it down anew/);
  await expect(best).toHaveAttribute('aria-pressed', 'true');
  await next.getByRole('button', { name: 'Put away' }).click();
  await expect(next.getByRole('listitem')).toHaveCount(0);
  await page.getByRole('link', { name: /^Fuse/ }).click();
  await run(page, 'Fuse into one surface', /triangles at/);
  await expect.poll(async () => Number(await canvas(page).getAttribute('data-triangles'))).toBeGreaterThan(20_000);
  await page.getByRole('link', { name: /^Mend/ }).click();

  // One hole is chosen in the list, looked at and filled; undo opens it again.
  const holes = page.getByRole('region', { name: 'Holes' });
  await expect(holes.getByRole('listitem').first()).toContainText(/about \d/, { timeout: 60_000 });
  const open = await holes.getByRole('listitem').count();
  await holes.getByRole('button', { name: `Go to hole ${open}` }).click();
  await holes.getByRole('listitem').last().getByRole('checkbox').check();
  await holes.getByRole('button', { name: 'Fill this hole' }).click();
  await expect(holes.getByRole('listitem')).toHaveCount(open - 1, { timeout: 120_000 });
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(holes.getByRole('listitem')).toHaveCount(open, { timeout: 60_000 });
  await run(page, 'Mend', /Watertight: .* holes filled/);
  await page.getByRole('button', { name: 'Reduce triangles', exact: true }).click();
  await page.getByLabel(/^Triangles/).fill('60000');
  await run(page, 'Reduce triangles', /to 60,\d{3} triangles|to 59,\d{3} triangles|to 60,000 triangles/);

  // Undo takes the reduction back, redo brings it again.
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(async () => Number(await canvas(page).getAttribute('data-triangles'))).toBeGreaterThan(100_000);
  await page.getByRole('button', { name: 'Redo' }).click();
  await expect.poll(async () => Number(await canvas(page).getAttribute('data-triangles'))).toBeLessThan(61_000);

  await page.getByRole('link', { name: /^Texture/ }).click();
  await page.getByLabel(/^Map size/).fill('1024');
  await run(page, 'Colour the surface', /1024² map from 41 pictures/);
  await page.getByRole('link', { name: /^Check/ }).click();
  await run(page, 'Inspect', /watertight/);

  // Measuring: two clicks give a distance in millimetres.
  await page.getByRole('button', { name: 'Measure', exact: true }).click();
  const box = (await canvas(page).boundingBox())!;
  await expect(page.getByText('Click one end of the distance.')).toBeVisible();
  await canvas(page).click({ position: { x: box.width / 2, y: box.height / 2 } });
  await expect(page.getByText(/Click the other end/)).toBeVisible();
  await canvas(page).click({ position: { x: box.width / 2, y: box.height / 2 + 60 } });
  await expect(page.getByText(/Distance \d+(\.\d+)? mm/)).toBeVisible();

  await page.getByRole('link', { name: /^Deliver/ }).click();
  await page.getByRole('textbox', { name: 'Name' }).fill('galley jug');
  await run(page, 'Export', /galley jug\.glb/);
  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: /Download galley jug\.glb/ }).click();
  const bytes = new Uint8Array(await readFile(await (await download).path()));
  const report = (await validateBytes(bytes)) as unknown as {
    issues: { numErrors: number; numWarnings: number };
    info: { hasTextures: boolean; totalTriangleCount: number };
  };
  expect(report.issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
  expect(report.info.hasTextures).toBe(true);
  expect(report.info.totalTriangleCount).toBeGreaterThan(50_000);

  // The measured points in their places, for other programs.
  await page.getByRole('button', { name: 'Export the points' }).click();
  await page
    .getByRole('combobox', { name: /^Format/ })
    .last()
    .selectOption('xyz');
  await page.getByRole('button', { name: 'Export the points' }).last().click();
  await expect(page.getByText(/points of 8 scans/)).toBeVisible({ timeout: 240_000 });
  const points = page.waitForEvent('download');
  await page.getByRole('link', { name: /^Download .*\.xyz/ }).click();
  const text = await readFile(await (await points).path(), 'utf8');
  expect(text.split('\n', 1)[0]).toMatch(/^(-?\d+\.\d{4} ){3}\d+ \d+ \d+/);
  expect(text.split('\n').length).toBeGreaterThan(150_000);

  await page.getByRole('button', { name: 'Knit chart' }).click();
  await expect(page.getByRole('link', { name: /^Mend: done/ })).toBeVisible();
  await page.getByRole('button', { name: 'Ledger' }).click();
  await expect(page.getByText('✓ done').first()).toBeVisible();
  expect(errors).toEqual([]);
});

test('a new piece takes dropped files, says what is wrong with bad ones, and can cancel', async ({ page }) => {
  await newPiece(page, 'Small lump');
  await expect(page.getByText('No scans yet')).toBeVisible();
  const rows: string[] = [];
  for (let i = 0; i < 4000; i++) {
    const z = -(i + 0.5) / 4000;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z) * 30 * (1 + 0.1 * Math.sin(3 * phi));
    rows.push(`${r * Math.cos(phi)} ${r * Math.sin(phi)} ${300 + 30 * z}`);
  }
  const ply = `ply\nformat ascii 1.0\nelement vertex 4000\nproperty float x\nproperty float y\nproperty float z\nend_header\n${rows.join('\n')}\n`;
  await page.getByLabel('Scan files').setInputFiles([
    { name: 'lump.ply', mimeType: 'application/octet-stream', buffer: Buffer.from(ply) },
    { name: 'empty.ply', mimeType: 'application/octet-stream', buffer: Buffer.alloc(0) },
  ]);
  await expect(page.getByText('The file is empty (0 bytes)', { exact: false })).toBeVisible();
  await expect(page.getByRole('complementary', { name: 'Strands' }).getByText('lump', { exact: true })).toBeVisible();
  await page
    .getByLabel('Scan files')
    .setInputFiles([
      { name: 'letter.stl', mimeType: 'text/plain', buffer: Buffer.from('Dear colleague, '.repeat(20)) },
    ]);
  await expect(page.getByText('This is not an STL file', { exact: false })).toBeVisible();

  await page.getByRole('link', { name: /^Register/ }).click();
  await run(page, 'Register all scans', /1 of 1 scans registered/);
  await page.getByRole('link', { name: /^Fuse/ }).click();
  await page.getByLabel(/^Resolution/).fill('0.05');
  await page.locator('button[type=submit]', { hasText: 'Fuse into one surface' }).click();
  await page.getByRole('button', { name: 'Cancel', exact: true }).click();
  await expect(page.getByText(/was cancelled\. Nothing was changed|did not finish/)).toBeVisible();
});

test('both themes, shortcuts and a deep link work', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('button', { name: 'Use the dark theme' }).click();
  await expect(page.locator('html')).toHaveAttribute('data-theme', 'dark');
  await page.getByRole('link', { name: /Galley jug/ }).click();
  await page.getByRole('link', { name: /Handle side, captured/ }).click();
  await expect(page).toHaveURL(/bench\/capture/);
  await page.reload();
  await expect(page.getByRole('heading', { name: 'Capture' })).toBeVisible();
  await page.keyboard.press('?');
  await expect(page.getByRole('heading', { name: 'Keyboard shortcuts' })).toBeVisible();
  await page.keyboard.press('Escape');
  await canvas(page).focus();
  await page.keyboard.press('5');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('l');
  await expect(page.getByRole('region', { name: 'Ledger' })).toBeVisible();
});
