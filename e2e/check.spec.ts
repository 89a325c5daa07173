import { readFile } from 'node:fs/promises';
import { newPiece, panel } from './new-piece.js';
import { expect, test, type Page } from './watched-page.js';

/** Check and Deliver on a small piece: dimensions by mouse and by touch, a reference, uprightness, files and the report. */

const RADIUS = 30;
const AWAY = 300;

/** Half a ball as a depth camera in the origin sees it. */
function halfBall(): string {
  const rows: string[] = [];
  for (let i = 0; i < 6000; i++) {
    const z = -(i + 0.5) / 6000;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z);
    rows.push(`${RADIUS * r * Math.cos(phi)} ${RADIUS * r * Math.sin(phi)} ${AWAY + RADIUS * z}`);
  }
  return `ply\nformat ascii 1.0\nelement vertex 6000\nproperty float x\nproperty float y\nproperty float z\nend_header\n${rows.join('\n')}\n`;
}

/** A whole ball of triangles in the same place, 0.3 mm larger, as text. */
function largerBall(): string {
  const [around, down] = [64, 32];
  const at = (i: number, k: number): string => {
    const [a, t] = [(2 * Math.PI * i) / around, (Math.PI * k) / down];
    const r = RADIUS + 0.3;
    return `${r * Math.sin(t) * Math.cos(a)} ${r * Math.sin(t) * Math.sin(a)} ${AWAY + r * Math.cos(t)}`;
  };
  const places: string[] = [];
  const faces: string[] = [];
  for (let k = 0; k <= down; k++) for (let i = 0; i < around; i++) places.push(at(i, k));
  for (let k = 0; k < down; k++) {
    for (let i = 0; i < around; i++) {
      const [a, b] = [k * around + i, k * around + ((i + 1) % around)];
      faces.push(`3 ${a} ${a + around} ${b}`, `3 ${b} ${a + around} ${b + around}`);
    }
  }
  return `OFF\n${places.length} ${faces.length} 0\n${places.join('\n')}\n${faces.join('\n')}\n`;
}

/** A dimension's line in the list: its number, name and value. */
const line = (page: Page, name: string) =>
  panel(page, 'Dimensions').getByRole('button', { name: new RegExp(`^\\d+ ?${name} `) });
const kinds = (page: Page) => page.getByRole('group', { name: 'What to measure' });

/** A piece with the surface of half a ball, at Check. */
async function measuredPiece(page: Page, name: string): Promise<void> {
  await newPiece(page, name);
  await page
    .getByLabel('Scan files')
    .setInputFiles([{ name: 'ball.ply', mimeType: 'application/octet-stream', buffer: Buffer.from(halfBall()) }]);
  await expect(page.getByRole('complementary', { name: 'Strands' }).getByText('ball', { exact: true })).toBeVisible();
  const run = async (stage: RegExp, title: string, result: RegExp): Promise<void> => {
    await page.getByRole('link', { name: stage }).click();
    await page.locator('button[type=submit]', { hasText: title }).click();
    await expect(panel(page, 'Newest result')).toContainText(result);
  };
  await run(/^Register/, 'Register all scans', /1 of 1 scans registered/);
  await run(/^Fuse/, 'Fuse into one surface', /triangles at/);
  await page.getByRole('link', { name: /^Check/ }).click();
  await expect
    .poll(async () => Number(await page.locator('canvas').getAttribute('data-triangles')))
    .toBeGreaterThan(100);
  // The view from below looks at the ball as the camera did.
  await page.getByRole('button', { name: 'Views' }).click();
  await page.getByRole('menuitem', { name: 'Below' }).click();
}

test('dimensions by mouse, a reference, uprightness, undo, and the report', async ({ page }) => {
  await measuredPiece(page, 'Half a ball');
  const box = (await page.locator('canvas').boundingBox())!;
  const click = (dx: number, dy: number) => page.mouse.click(box.x + box.width / 2 + dx, box.y + box.height / 2 + dy);
  const list = panel(page, 'Dimensions');

  await kinds(page).getByRole('button', { name: 'Shape' }).click();
  await list.getByRole('combobox', { name: 'Shape to find' }).selectOption('sphere');
  await click(0, 0);
  const ball = line(page, 'Shape 1');
  await expect(ball).toHaveText(/6\d\.\d\d mm|59\.\d\d mm/);
  await expect(list.getByText('Off the ball')).toBeVisible();
  await expect(panel(page, 'Newest result')).toContainText('1 dimension');

  await kinds(page).getByRole('button', { name: 'Distance' }).click();
  await expect(page.getByText('Click one end.').first()).toBeVisible();
  await click(-60, 0);
  await click(60, 0);
  await page.keyboard.press('Escape');
  await expect(line(page, 'Distance 1')).toHaveText(/\d+\.\d+ mm/);
  await expect(page.getByRole('button', { name: /^2: \d/ })).toBeVisible();
  await expect(panel(page, 'Newest result')).toContainText('2 dimensions');

  // A section as a drawing in true scale.
  await kinds(page).getByRole('button', { name: 'Section' }).click();
  await page.getByRole('button', { name: 'Across X' }).first().click();
  await click(0, 10);
  await expect(panel(page, 'Newest result')).toContainText('3 dimensions');
  const drawing = page.waitForEvent('download');
  await list.getByRole('button', { name: 'Drawing (SVG)' }).click();
  const svg = await readFile(await (await drawing).path(), 'utf8');
  expect(svg).toMatch(/^<svg [^>]*width="\d+(\.\d+)?mm"/);

  // One is taken away; undo brings it back.
  await list.getByRole('button', { name: 'Remove Section 1' }).click();
  await expect(panel(page, 'Newest result')).toContainText('2 dimensions');
  await expect(list.getByRole('listitem')).toHaveCount(2);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(list.getByRole('listitem')).toHaveCount(3);

  // Against a ball that is 0.3 mm larger all round: everything lies inwards by that.
  const reference = panel(page, 'Against a reference');
  await reference.getByRole('combobox', { name: 'Place' }).selectOption('as-is');
  await page
    .getByLabel('File of the reference')
    .setInputFiles([{ name: 'larger.off', mimeType: 'text/plain', buffer: Buffer.from(largerBall()) }]);
  await expect(panel(page, 'Newest result')).toContainText(/% of the measured surface within 0.200 mm of larger.off/);
  await expect(page.getByRole('figure', { name: 'Deviation from the reference' })).toBeVisible();
  await expect(reference.getByRole('listitem').first()).toContainText('inwards');
  await reference.getByRole('spinbutton', { name: 'Tolerance' }).fill('0.8');
  await reference.getByRole('button', { name: 'Compare again' }).click();
  await expect(panel(page, 'Newest result')).toContainText(/9\d\.\d %|100\.0 %/);
  await reference.getByRole('checkbox', { name: /Show deviations/ }).uncheck();
  await expect(page.getByRole('figure', { name: 'Deviation from the reference' })).toBeHidden();

  // Turned upright, the dimensions stay what they are.
  const before = await line(page, 'Distance 1').textContent();
  await page.getByRole('button', { name: 'Set upright', exact: true }).first().click();
  await page.getByRole('combobox', { name: /^Up/ }).selectOption('angles');
  await page.locator('button[type=submit]', { hasText: 'Set upright' }).click();
  await expect(panel(page, 'Newest result')).toContainText(/Upright: \d+\.\d+ mm high/);
  expect(await line(page, 'Distance 1').textContent()).toBe(before);
  await expect(list.getByText('Out of date')).toBeHidden();

  // An open surface can't be printed, and it is said why; the report tells what was measured.
  await page.getByRole('link', { name: /^Deliver/ }).click();
  await page.getByRole('button', { name: 'For printing' }).first().click();
  await page.locator('button[type=submit]', { hasText: 'For printing' }).click();
  await expect(page.getByText(/can't be printed as it is: .*open/)).toBeVisible();
  const opened = page.waitForEvent('popup');
  await page.getByRole('link', { name: 'Open the report' }).click();
  const report = await opened;
  await expect(report.getByRole('heading', { name: 'Half a ball' })).toBeVisible();
  await expect(report.getByRole('cell', { name: 'Distance 1', exact: true })).toBeVisible();
  await expect(report.getByRole('heading', { name: 'Against larger.off' })).toBeVisible();
});

test.describe('by touch', () => {
  test.use({ hasTouch: true });

  test('a distance is two taps', async ({ page }) => {
    await measuredPiece(page, 'Half a ball by touch');
    const box = (await page.locator('canvas').boundingBox())!;
    const tap = (dx: number) => page.touchscreen.tap(box.x + box.width / 2 + dx, box.y + box.height / 2);
    await kinds(page).getByRole('button', { name: 'Distance' }).tap();
    await tap(-50);
    await tap(50);
    await expect(line(page, 'Distance 1')).toHaveText(/\d+\.\d+ mm/);
    await expect(panel(page, 'Newest result')).toContainText('1 dimension');
  });
});
