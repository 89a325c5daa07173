import { newPiece } from './new-piece.js';
import { expect, test, type Locator, type Page } from './watched-page.js';
import { BALL_SCENE, ballSceneFiles } from './ball-scenes.mjs';

const SCANS = 8;
const { ball, board, strays, crumb } = BALL_SCENE;
const EACH = ball + board + strays + crumb;

/** The Clean stage of a piece, as an operator handles it. */
class CleanBench {
  readonly panel: Locator;
  readonly canvas: Locator;
  readonly selection: Locator;

  constructor(readonly page: Page) {
    this.panel = page.getByRole('region', { name: 'Select points' });
    this.canvas = page.locator('canvas[data-points]');
    this.selection = this.panel.getByRole('status', { name: 'Selection' });
  }

  button(name: string): Locator {
    return this.panel.getByRole('button', { name, exact: true });
  }

  async shown(): Promise<number> {
    return Number(await this.canvas.getAttribute('data-points'));
  }

  async waitForShown(points: number): Promise<void> {
    await expect(this.canvas).toHaveAttribute('data-points', String(points), { timeout: 240_000 });
  }

  /** How many points are selected, once the selection has come to rest as expected. */
  async selected(judge: (points: number) => boolean): Promise<number> {
    let n = -1;
    await expect(async () => {
      const text = await this.selection.innerText();
      n = Number(/^([\d,]+) points/.exec(text)?.[1].replaceAll(',', '') ?? 0);
      expect(judge(n), `${n} points selected`).toBe(true);
    }).toPass({ timeout: 240_000 });
    return n;
  }

  /** A place in the view, as shares of its width and height from the middle. */
  async place(x: number, y: number): Promise<[number, number]> {
    const b = (await this.canvas.boundingBox())!;
    return [b.x + b.width * (0.5 + x), b.y + b.height * (0.5 + y)];
  }

  async drag(...places: [number, number][]): Promise<void> {
    const [first, ...rest] = await Promise.all(places.map(([x, y]) => this.place(x, y)));
    await this.page.mouse.move(...first);
    await this.page.mouse.down();
    for (const p of rest) await this.page.mouse.move(...p, { steps: 8 });
    await this.page.mouse.up();
  }

  async click(x: number, y: number): Promise<void> {
    await this.page.mouse.click(...(await this.place(x, y)));
  }

  async showOnly(scan: string): Promise<void> {
    await this.page.getByRole('button', { name: `Show only ${scan}`, exact: true }).click();
    await this.canvas.focus();
    await this.page.keyboard.press('1');
  }
}

async function newCleanBench(page: Page, name: string): Promise<CleanBench> {
  await newPiece(page, name);
  await page.getByLabel('Scan files').setInputFiles(ballSceneFiles(SCANS));
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText(/^view_\d$/)).toHaveCount(SCANS, { timeout: 240_000 });
  await page.getByRole('link', { name: /^Clean/ }).click();
  const bench = new CleanBench(page);
  await bench.waitForShown(SCANS * EACH);
  return bench;
}

test('points are selected with every tool, cut, split off, brought back, and nothing is lost', async ({ page }) => {
  test.setTimeout(300_000);
  const bench = await newCleanBench(page, 'Balls on boards');
  const whole = SCANS * EACH;

  // All scans at once, by a measure: the threshold marks what would go.
  await bench.button('By a measure').click();
  await bench.panel.getByLabel('Find').selectOption({ label: 'Lonely points' });
  await bench.panel.getByRole('slider').focus();
  await page.keyboard.press('Enter');
  // The strays, and at the ball's rim, where points lie far apart, a few of each scan.
  const lonely = await bench.selected((n) => n > 0.97 * SCANS * strays && n < SCANS * (strays + 20));
  await bench.button('Cut away').click();
  await bench.waitForShown(whole - lonely);
  await bench.selected((n) => n === 0);

  // One scan: the crumb by what hangs together, the ball by colour, the board by its plane.
  await bench.showOnly('view_1');
  const one = await bench.shown();
  await bench.button('Like colour').click();
  await page.getByLabel('Only what hangs together').check();
  await bench.click(0, -0.06);
  const red = await bench.selected((n) => n > 0.4 * ball && n < 0.55 * ball);
  await page.keyboard.down('Shift');
  await bench.click(0, 0.06);
  await page.keyboard.up('Shift');
  await bench.selected((n) => n > 0.95 * ball && n <= ball);
  await bench.button('Undo selecting').click();
  await bench.selected((n) => n === red);
  await bench.canvas.focus();
  await page.keyboard.press('Control+Shift+Z');
  await bench.selected((n) => n > red);

  await bench.button('Plane').click();
  await bench.click(0.2, 0.1);
  await bench.selected((n) => n > 0.99 * board && n < 1.05 * board);
  await bench.panel.getByRole('combobox', { name: /^Select/ }).selectOption({ label: 'all in front of it' });
  await bench.click(0.2, 0.1);
  await bench.selected((n) => n > 0.9 * (ball + crumb) && n < 1.1 * (ball + crumb));

  await bench.button('Loose piece').click();
  await bench.canvas.focus();
  await page.keyboard.press('Enter');
  await bench.selected((n) => n > 0.95 * ball && n <= ball);
  await bench.button('Invert').click();
  await bench.selected((n) => n > 0.95 * (board + crumb) && n < one - 0.9 * ball);
  await bench.button('Remembered selections').click();
  await bench.panel.getByLabel('Name of the selection').fill('not the ball');
  await bench.button('Remember').click();
  await bench.button('None').click();
  await bench.selected((n) => n === 0);
  await bench.button('not the ball').click();
  const rest = await bench.selected((n) => n > 0);

  // Drawn: lasso, rectangle and brush, through or only in front; grown and shrunk.
  await bench.button('Lasso').click();
  await bench.drag([-0.1, -0.12], [0.1, -0.12], [0.1, 0.12], [-0.1, 0.12]);
  const loop = await bench.selected((n) => n > 100 && n !== rest);
  await bench.button('Grow').click();
  const grown = await bench.selected((n) => n > loop);
  await bench.button('Shrink').click();
  await bench.selected((n) => n < grown && n >= loop);
  await bench.button('Rectangle').click();
  await bench.drag([-0.49, -0.49], [0.49, 0.49]);
  await bench.selected((n) => n === one);
  await bench.button('Brush').click();
  await bench.drag([-0.05, 0], [0.05, 0]);
  const brushed = await bench.selected((n) => n > 50 && n < one / 2);
  await bench.button('Ball').click();
  await bench.drag([-0.05, 0], [0.05, 0]);
  await bench.selected((n) => n > 50 && n < one / 2 && n !== brushed);
  await bench.button('Like direction').click();
  await bench.click(0.2, 0.1);
  await bench.selected((n) => n > 0.9 * board);

  // Split the ball off, then take the rest away: the emptied scan goes, the part stays.
  await bench.button('Loose piece').click();
  await bench.click(0, 0);
  await bench.selected((n) => n > 0.95 * ball && n <= ball);
  await bench.panel.getByLabel('Name of the part').fill('ball');
  await bench.button('Split off').click();
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText('view_1 ball', { exact: true })).toBeVisible({ timeout: 240_000 });
  await bench.button('All').click();
  await bench.selected((n) => n > 0.9 * board && n < one - 0.9 * ball);
  await bench.canvas.focus();
  await page.keyboard.press('Delete');
  await expect(strands.getByText('view_1', { exact: true })).toBeHidden({ timeout: 240_000 });

  // A box on all scans, typed; keep only what lies inside.
  await page.reload();
  await expect(strands.getByText('view_1 ball', { exact: true })).toBeVisible();
  const before = whole - lonely - (one - ball);
  await expect(async () => expect(Math.abs((await bench.shown()) - before)).toBeLessThan(100)).toPass({
    timeout: 240_000,
  });
  const now = await bench.shown();
  await bench.button('Box').click();
  // The box is in the view: a side is pulled by its handle, or moved by keys; or it is typed.
  const side = page.getByRole('slider', { name: 'Box, z from' });
  const low = Number(await side.getAttribute('aria-valuenow'));
  await side.press('Shift+ArrowUp');
  await expect(side).toHaveAttribute('aria-valuenow', String(low + 10));
  const handle = (await side.boundingBox())!;
  await page.mouse.move(handle.x + handle.width / 2, handle.y + handle.height / 2);
  await page.mouse.down();
  await page.mouse.move(handle.x + handle.width / 2, handle.y + handle.height / 2 - 40, { steps: 4 });
  await page.mouse.up();
  await expect
    .poll(async () => Number(await bench.panel.getByLabel('z from, mm').inputValue()))
    .toBeGreaterThan(low + 12);
  await bench.panel.getByLabel('z from, mm').fill('-60');
  await bench.button('Select inside').click();
  const inside = await bench.selected((n) => n > 100 && n < now);
  await bench.button('Keep only these').click();
  await bench.waitForShown(inside);

  // Undo all, redo all; a fresh page shows the same.
  const undo = page.getByRole('button', { name: 'Undo', exact: true });
  for (const points of [now, null, null, whole]) {
    await undo.click();
    if (points) await bench.waitForShown(points);
    else await page.waitForTimeout(500);
  }
  await expect(strands.getByText('view_1', { exact: true })).toBeVisible();
  for (let k = 0; k < 4; k++) {
    await page.getByRole('button', { name: 'Redo', exact: true }).click();
    await page.waitForTimeout(500);
  }
  await bench.waitForShown(inside);
  await page.reload();
  await bench.waitForShown(inside);

  // A selection is kept with the piece by its name, until it is forgotten.
  await bench.button('Box').click();
  await bench.button('Select inside').click();
  const marked = await bench.selected((n) => n > 0.9 * inside);
  await bench.button('Remembered selections').click();
  await bench.panel.getByLabel('Name of the selection').fill('all / of it');
  await bench.button('Remember').click();
  await expect(bench.button('all / of it')).toBeVisible();
  await page.reload();
  await bench.waitForShown(inside);
  await bench.button('Remembered selections').click();
  await bench.button('all / of it').click();
  await bench.selected((n) => n === marked);
  await bench.button('Forget all / of it').click();
  await expect(bench.button('all / of it')).toBeHidden();
  await page.reload();
  await bench.button('Remembered selections').click();
  await expect(bench.button('not the ball')).toBeVisible();
  await expect(bench.button('all / of it')).toBeHidden();
});

test('what is cut in one tab does not spoil what another tab does', async ({ page, context }) => {
  test.setTimeout(180_000);
  const first = await newCleanBench(page, 'Two at one piece');
  const second = new CleanBench(await context.newPage());
  await second.page.goto(page.url());
  await second.waitForShown(SCANS * EACH);

  // Both select in the same scan; both cuts hold, because they count the same stored points.
  for (const bench of [first, second]) {
    await bench.showOnly('view_2');
    await bench.button('Loose piece').click();
  }
  await first.click(0, 0);
  const taken = await first.selected((n) => n > 0.95 * ball && n <= ball);
  await second.button('Plane').click();
  await second.click(0.2, 0.1);
  const plane = await second.selected((n) => n > 0.95 * board);
  await first.button('Cut away').click();
  await first.waitForShown(EACH - taken);
  await second.waitForShown(EACH - taken);
  await second.selected((n) => n === plane);
  await second.button('Cut away').click();
  await second.waitForShown(EACH - taken - plane);

  // Thinning makes new points: what the other tab had selected is dropped, not cut wrongly.
  await first.showOnly('view_3');
  await second.showOnly('view_3');
  await second.button('Rectangle').click();
  await second.drag([-0.49, -0.49], [0.49, 0.49]);
  await second.selected((n) => n === EACH);
  await page.getByRole('button', { name: 'Thin out' }).first().click();
  const thin = page.getByRole('form', { name: 'Thin out' });
  await thin.getByRole('button', { name: /^Scans/ }).click();
  await page.getByRole('option', { name: 'view_3' }).click();
  await page.keyboard.press('Escape');
  await thin.getByRole('button', { name: 'Thin out' }).click();
  await expect(page.getByText(`Thinned from ${EACH.toLocaleString('en-US')} to`)).toBeVisible({ timeout: 240_000 });
  await second.selected((n) => n === 0);
});
