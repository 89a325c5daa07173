import { expect, test, type Page } from './watched-page.js';

/** Planning and scanning the simulated jug by mouse and keyboard: record, lose track, find back, reload, resume, finish. */

const live = (page: Page) => page.locator('canvas[data-splats]');
const kept = async (page: Page): Promise<number> => Number(await live(page).getAttribute('data-kept'));

async function newPiece(page: Page, name: string): Promise<string> {
  const answer = await page.request.post('/api/pieces', { data: { name } });
  return ((await answer.json()) as { id: string }).id;
}

test('a plan warns, chooses and is kept', async ({ page }) => {
  const id = await newPiece(page, 'Planned thing');
  await page.goto(`/pieces/${id}/bench/plan`);
  const warnings = page.getByRole('region', { name: 'Warnings' });
  await expect(page.getByText('Hand-held structured light')).toBeVisible();
  await page.getByText('Machine part').click();
  await page.getByText('Mirror-like', { exact: true }).click();
  await expect(warnings).toContainText('Matting spray cures it');
  await page.getByLabel('It may be moved and turned over').uncheck();
  await expect(warnings).toContainText('not allowed');
  await page.getByLabel('Longest extent in millimetres').fill('0');
  await expect(page.getByText('Between 1 and 50,000 mm.')).toBeVisible();
  await page.getByLabel('Longest extent in millimetres').fill('90');
  await page.reload();
  await expect(page.getByLabel('Longest extent in millimetres')).toHaveValue('90');
  await expect(warnings).toContainText('Mirror-like surface');
  await expect(page.getByRole('link', { name: 'Plan: done' })).toBeVisible();
});

test('a scan from the first look to a strand, through a lost track and a closed page', async ({ page }) => {
  const id = await newPiece(page, 'Scanned jug');
  const plan = { kind: 'vessel', size: 150, surfaces: ['glossy'], shape: 'some', marks: 'plenty', still: true };
  const rest = { mayTouch: true, light: 'room', finish: 'archive', deviceId: 'hand-held-light' };
  expect((await page.request.patch(`/api/pieces/${id}`, { data: { plan: { ...plan, ...rest } } })).ok()).toBe(true);
  await page.goto(`/pieces/${id}/bench/capture`);
  await page.getByRole('button', { name: 'Connect' }).click();
  await expect(page.getByLabel('Distance to the object')).toContainText('Good distance', { timeout: 240_000 });
  // Glossy: the plan lowers the exposure.
  await expect(page.getByRole('region', { name: 'Device settings' })).toContainText('4.5 ms');
  await page.getByRole('button', { name: 'Record' }).click();
  await expect(live(page)).toHaveAttribute('data-state', 'tracked');
  await expect.poll(async () => Number(await live(page).getAttribute('data-splats'))).toBeGreaterThan(5000);

  // The hand jumps to the far side: lost, said aloud, and found again when it comes back.
  const hand = page.getByLabel(/^Colour view/);
  await hand.focus();
  for (let i = 0; i < 16; i++) await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByRole('alert')).toContainText('Tracking lost');
  const before = await kept(page);
  await page.waitForTimeout(1000);
  expect(await kept(page)).toBe(before);
  for (let i = 0; i < 16; i++) await page.keyboard.press('Shift+ArrowLeft');
  await expect(page.getByRole('alert')).toHaveCount(0, { timeout: 240_000 });

  await page.getByRole('button', { name: 'Go', exact: true }).click();
  await expect.poll(() => kept(page), { timeout: 240_000 }).toBeGreaterThan(12);
  await expect(page.getByRole('region', { name: 'Sides seen' })).toContainText(/Next: /);
  await page.getByRole('button', { name: 'Pause' }).click();
  const paused = await kept(page);
  await page.getByRole('button', { name: /Take back/ }).click();
  await expect(page.getByText(/frames taken back/)).toBeVisible();
  // Most of the frames so far can be taken back: on a busy machine few were kept.
  await expect.poll(() => kept(page)).toBeLessThan(paused);
  await page.getByRole('button', { name: 'Go on' }).click();
  // What is left may be on the other side: the hand goes round until enough is kept again.
  const go = page.getByRole('button', { name: 'Go', exact: true });
  await expect(async () => {
    if (await go.isVisible()) await go.click();
    expect(await kept(page)).toBeGreaterThan(8);
  }).toPass({ timeout: 240_000 });

  // The page closes in the middle; the frames are on the server.
  await expect(page.getByLabel('Reading')).toContainText('all stored');
  await page.reload();
  const unfinished = page.getByRole('region', { name: 'Unfinished captures' });
  await expect(unfinished).toContainText(/\d+ frames stored/);
  const stored = Number(/(\d+) frames stored/.exec(await unfinished.innerText())![1]);
  expect(stored).toBeGreaterThan(5);
  await unfinished.getByRole('button', { name: 'Resume' }).click();
  await expect.poll(() => kept(page), { timeout: 240_000 }).toBeGreaterThanOrEqual(stored);
  await page.getByRole('button', { name: 'Finish this scan' }).click();
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands).toContainText('Scan 1', { timeout: 240_000 });
  await expect(strands).toContainText(/\d+k loose/);
});

test('the jug scanned upright, turned over, placed by itself, and fused into one mesh', async ({ page }) => {
  const id = await newPiece(page, 'Jug from both sides');
  await page.goto(`/pieces/${id}/bench/capture`);
  await page.getByText('Hand-held structured light').click();
  await page.getByRole('button', { name: 'Connect' }).click();
  await expect(page.getByLabel('Distance to the object')).toContainText('Good distance', { timeout: 240_000 });
  const bench = page.getByRole('region', { name: 'Simulated bench' });
  const strands = page.getByRole('complementary', { name: 'Strands' });
  const go = page.getByRole('button', { name: 'Go', exact: true });
  for (const [k, setup] of ['Upright', 'Upside down'].entries()) {
    await bench.getByLabel('Lies').selectOption(setup);
    await page.getByRole('combobox', { name: 'Setup' }).fill(setup);
    // The object has been moved when the picture shows it.
    await page.waitForTimeout(2500);
    await page.getByRole('button', { name: 'Record' }).click();
    await expect(live(page)).toHaveAttribute('data-state', 'tracked');
    await go.click();
    await expect(page.getByRole('button', { name: 'Stop', exact: true })).toBeVisible();
    await expect(go).toBeVisible({ timeout: 240_000 });
    await expect(page.getByRole('alert')).toHaveCount(0);
    await page.getByRole('button', { name: 'Finish this scan' }).click();
    await expect(strands).toContainText(`Scan ${k + 1}`, { timeout: 240_000 });
  }
  // The second is placed onto the first without being asked.
  const registered = async (): Promise<string[]> => {
    const piece = (await (await page.request.get(`/api/pieces/${id}`)).json()) as {
      scanList: { setup: string; placement: { state: string } | null }[];
    };
    return piece.scanList.map((s) => `${s.setup}: ${s.placement?.state ?? 'loose'}`);
  };
  await expect.poll(registered, { timeout: 240_000 }).toEqual(['Upright: registered', 'Upside down: registered']);
  await page.getByRole('link', { name: /^Fuse/ }).click();
  await page.locator('button[type=submit]', { hasText: 'Fuse into one surface' }).click();
  await expect(page.getByText(/triangles at/).first()).toBeVisible({ timeout: 240_000 });
});

test('a room corner by lidar: coarse, one object out of it, with its frames', async ({ page }) => {
  const id = await newPiece(page, 'Corner of the wheelhouse');
  await page.goto(`/pieces/${id}/bench/capture`);
  await page.getByText('Tablet lidar').click();
  await page.getByRole('button', { name: 'Connect' }).click();
  await expect(page.getByLabel('Distance to the object')).toContainText('Good distance', { timeout: 240_000 });
  await page.getByLabel('Profile').selectOption({ label: 'Coarse: quick, half as dense' });
  await page.getByLabel('Extent').selectOption('1200');
  await page.getByRole('button', { name: 'Record' }).click();
  await page.getByLabel('Sweep').selectOption('back-and-forth');
  await page.getByLabel('Speed').selectOption('3');
  await page.getByRole('button', { name: 'Go', exact: true }).click();
  await expect.poll(() => kept(page), { timeout: 240_000 }).toBeGreaterThan(5);
  await page.getByLabel('When finished').selectOption('keep');
  await page.getByRole('button', { name: 'Finish this scan' }).click();
  await expect(page.getByText('Scan 1', { exact: true }).first()).toBeVisible({ timeout: 240_000 });
  const piece = (await (await page.request.get(`/api/pieces/${id}`)).json()) as {
    scanList: { frames: number; cloud: { facts: { points: number } } }[];
  };
  expect(piece.scanList[0].frames).toBeGreaterThan(5);
  const steps = (await (await page.request.get(`/api/pieces/${id}/steps`)).json()) as {
    params: { within: number; spacing: number };
    figures: { spacing: number };
  }[];
  expect(steps[0].params).toMatchObject({ within: 1200, spacing: 15 });
  expect(steps[0].figures.spacing).toBeGreaterThan(8);
});

test('a turntable run: empty support learned, shape from twelve stops, colour from two sides', async ({ page }) => {
  const id = await newPiece(page, 'Turned jug');
  await page.goto(`/pieces/${id}/bench/capture`);
  await page.getByText('Structured light with turntable').click();
  await page.getByRole('button', { name: 'Connect' }).click();
  const bench = page.getByRole('region', { name: 'Simulated bench' });
  await expect(page.getByLabel('Distance to the object')).toContainText(/distance/, { timeout: 240_000 });
  await bench.getByText('Nothing on it').click();
  await expect(page.getByLabel('Nothing on it')).toBeChecked();
  await page.waitForTimeout(2500);
  await page.getByRole('button', { name: 'Learn the empty support' }).click();
  const said = page.getByRole('region', { name: 'Recording' }).getByRole('status');
  await expect(said).toContainText('Empty support learned', { timeout: 240_000 });
  await bench.getByText('Nothing on it').click();
  await expect(page.getByLabel('Nothing on it')).not.toBeChecked();
  await page.waitForTimeout(2500);
  await page.getByLabel('Stops').selectOption('12');
  await page.getByRole('combobox', { name: /^Colour/ }).selectOption('2');
  // Nothing is left of the support that could be taken away.
  await expect(page.getByLabel('When finished')).toHaveValue('keep');
  await page.getByRole('button', { name: 'Record' }).click();
  // The page goes away in the middle of the run: the stops taken are stored, and the run goes on with the next.
  // A stop may take less than a second: it is looked at often.
  const often = { intervals: [100], timeout: 240_000 };
  await expect.poll(() => said.textContent(), often).toMatch(/Stop [5-8] of 12/);
  await page.reload();
  const left = page.getByRole('region', { name: 'Unfinished captures' });
  await expect(left).toContainText(/[4-8] frames stored/, { timeout: 240_000 });
  await left.getByRole('button', { name: 'Resume' }).click();
  await expect.poll(() => said.textContent(), often).toMatch(/Stop [5-9] of 12/);
  await expect(said).toContainText('12 stops aligned', { timeout: 240_000 });
  await page.getByRole('button', { name: 'Finish this scan' }).click();
  await expect(page.getByText('Scan 1', { exact: true }).first()).toBeVisible({ timeout: 240_000 });
  const [step] = (await (await page.request.get(`/api/pieces/${id}/steps`)).json()) as {
    figures: { frames: number; points: number };
  }[];
  expect(step.figures.frames).toBe(14);
  expect(step.figures.points).toBeGreaterThan(20_000);
});

test.describe('with fingers', () => {
  test.use({ hasTouch: true });

  test('one finger walks round the object, two come closer, and what is seen is scanned', async ({ page }) => {
    const id = await newPiece(page, 'Jug by touch');
    await page.goto(`/pieces/${id}/bench/capture`);
    await page.getByText('Hand-held structured light').tap();
    await page.getByRole('button', { name: 'Connect' }).tap();
    const distance = page.getByLabel('Distance to the object');
    await expect(distance).toContainText('Good distance', { timeout: 240_000 });
    await page.getByRole('button', { name: 'Record' }).tap();
    await expect(live(page)).toHaveAttribute('data-state', 'tracked');

    const touch = await page.context().newCDPSession(page);
    const tile = (await page.getByLabel(/^Colour view/).boundingBox())!;
    const [x, y] = [tile.x + tile.width / 2, tile.y + tile.height / 2];
    /** Fingers along ways given by their offsets from the middle of the picture. */
    const swipe = async (ways: ((share: number) => [number, number])[], steps: number): Promise<void> => {
      const at = (share: number) => ways.map((way, k) => ({ id: k, x: x + way(share)[0], y: y + way(share)[1] }));
      await touch.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints: at(0) });
      for (let k = 1; k <= steps; k++) {
        await touch.send('Input.dispatchTouchEvent', { type: 'touchMove', touchPoints: at(k / steps) });
        await page.waitForTimeout(120);
      }
      await touch.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] });
    };
    const before = await kept(page);
    await swipe([(s) => [60 - 120 * s, 0]], 40);
    await expect.poll(() => kept(page), { timeout: 240_000 }).toBeGreaterThan(before + 3);
    await expect(live(page)).toHaveAttribute('data-state', 'tracked');

    const mm = async (): Promise<number> => Number(/(\d+) mm/.exec(await distance.innerText())![1]);
    const far = await mm();
    await swipe([(s) => [-40 - 8 * s, 0], (s) => [40 + 8 * s, 0]], 20);
    await expect.poll(mm, { timeout: 240_000 }).toBeLessThan(far - 20);
    await expect(live(page)).toHaveAttribute('data-state', 'tracked');
  });
});
