import { expect, test, type Page } from './watched-page.js';

/** The line laser by mouse: level the stand, measure it, record a turn, trace a place, make a scan; then from a file. */

const points = async (page: Page): Promise<number> =>
  Number(await page.locator('canvas[data-points]').getAttribute('data-points'));

async function newPiece(page: Page, name: string): Promise<string> {
  const answer = await page.request.post('/api/pieces', { data: { name } });
  return ((await answer.json()) as { id: string }).id;
}

test('a turn under the line laser, from the spirit level to a scan', async ({ page }) => {
  const id = await newPiece(page, 'Gauge under the laser');
  await page.goto(`/pieces/${id}/bench/capture`);
  await page.getByText('Camera with line laser').click();
  await page.getByRole('button', { name: 'Connect' }).click();
  const aids = page.getByRole('region', { name: 'Setting the stand up' });
  await expect(aids).toContainText('Leans up', { timeout: 240_000 });
  for (let i = 0; i < 16; i++) {
    const before = await aids.locator('.num').innerText();
    await page.getByRole('button', { name: 'Tilt down' }).click();
    await expect(aids.locator('.num')).not.toHaveText(before);
  }
  await expect(aids).toContainText('Level');

  // The empty platform gives the measures: the stand truly is 440 mm away, 81.6 mm high, the laser at 27°.
  const bench = page.getByRole('region', { name: 'Simulated bench' });
  await bench.getByLabel('Object').selectOption('Turned gauge');
  await bench.getByText('Nothing on it').click();
  await expect(page.getByLabel('Reading')).toContainText(/line in [0-9] % of rows/);
  await page.getByRole('button', { name: 'Measure from the empty platform' }).click();
  const measures = page.getByRole('region', { name: 'Measures of the stand' });
  await expect(measures).toContainText('Measured along');
  expect(Math.abs(Number(await measures.getByLabel('Camera to axis').inputValue()) - 440)).toBeLessThan(4.4);
  expect(Math.abs(Number(await measures.getByLabel('Laser angle').inputValue()) - 27)).toBeLessThan(0.3);
  await expect(aids).toContainText('The axis stands');
  await bench.getByText('Nothing on it').click();
  await expect(page.getByLabel('Reading')).toContainText(/line in [2-9][0-9] % of rows/);

  // 60 pictures a turn, so that the test is quick.
  await page.getByLabel(/^Platform turns/).fill('60');
  await page.getByRole('button', { name: 'Record', exact: true }).click();
  const timeline = page.getByRole('slider', { name: 'Picture of the recording' });
  await expect
    .poll(async () => Number(await timeline.getAttribute('aria-valuemax').catch(() => 0)), { timeout: 240_000 })
    .toBeGreaterThanOrEqual(68);
  await page.getByRole('button', { name: /^Stop/ }).click();
  const turn = page.getByRole('region', { name: 'One turn' });
  await expect(turn).toContainText('Found by comparing', { timeout: 240_000 });
  expect(Math.abs(Number(await turn.getByLabel('Pictures a turn').inputValue()) - 60)).toBeLessThan(0.3);
  await expect(turn.getByLabel('Turning')).toHaveValue('1');
  await expect.poll(() => points(page), { timeout: 240_000 }).toBeGreaterThan(5000);
  // The turn takes its time, and more of it where the machine has other things to do.
  await expect(page.getByRole('button', { name: 'Make a scan of it' })).toBeEnabled({ timeout: 240_000 });

  // The page closes before it is handed over: the pictures are on the server, with the measures of the stand.
  await expect(page.getByRole('region', { name: 'Recording' })).toContainText(/\d+ pictures stored$/m);
  await page.reload();
  const unfinished = page.getByRole('region', { name: 'Unfinished captures' });
  await expect(unfinished).toContainText(/(6[8-9]|7\d|8\d) pictures stored/);
  await unfinished.getByRole('button', { name: 'Resume' }).click();
  await expect(turn).toContainText('Found by comparing', { timeout: 240_000 });
  await expect.poll(() => points(page), { timeout: 240_000 }).toBeGreaterThan(5000);
  await expect(page.getByRole('button', { name: 'Make a scan of it' })).toBeEnabled({ timeout: 240_000 });

  // A place leads back to its picture.
  const space = page.getByLabel(/^Points of the turn/);
  const box = (await space.boundingBox())!;
  await space.click({ position: { x: box.width / 2, y: box.height / 2 } });
  await expect(page.getByRole('region', { name: 'Traced place' })).toContainText('Measured here');

  await page.getByRole('button', { name: 'Make a scan of it' }).click();
  await expect(page.getByText('Scan 1', { exact: true }).first()).toBeVisible({ timeout: 240_000 });
  const steps = (await (await page.request.get(`/api/pieces/${id}/steps`)).json()) as {
    operationId: string;
    figures: { points: number };
  }[];
  expect(steps[0].operationId).toBe('capture.line-laser');
  expect(steps[0].figures.points).toBeGreaterThan(1000);
});

test('a recording from a zip and from a video; what is neither is refused', async ({ page }) => {
  const id = await newPiece(page, 'Recorded elsewhere');
  await page.goto(`/pieces/${id}/bench/capture`);
  const chooser = page.getByLabel('Line-laser recording file');
  await chooser.setInputFiles({ name: 'broken.zip', mimeType: 'application/zip', buffer: Buffer.from('nothing') });
  await expect(page.getByRole('alert')).toContainText('damaged');
  await page.getByRole('button', { name: 'Close the recording' }).click();
  await chooser.setInputFiles({ name: 'broken.webm', mimeType: 'video/webm', buffer: Buffer.from('nothing') });
  await expect(page.getByRole('alert')).toContainText('can’t play the video');
  await page.getByRole('button', { name: 'Close the recording' }).click();

  // A painted drum under a line, drawn and recorded by the browser itself.
  const video = await page.evaluate(async () => {
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [320, 240];
    const c = canvas.getContext('2d')!;
    const recorder = new MediaRecorder(canvas.captureStream(20), { mimeType: 'video/webm;codecs=vp8' });
    const parts: Blob[] = [];
    recorder.ondataavailable = (e) => parts.push(e.data);
    recorder.start();
    // It turns by the clock, one turn in four seconds, so that a slow machine records the same turn.
    const begun = performance.now();
    for (let t = 0; t < 6; t = (performance.now() - begun) / 1000) {
      c.fillStyle = '#101010';
      c.fillRect(0, 0, 320, 240);
      for (let x = 110; x < 210; x++) {
        const around = Math.asin((x - 160) / 50) - (2 * Math.PI * t) / 4;
        const v = 70 + 25 * Math.sin(around) + 20 * Math.sin(2 * around + 1);
        c.fillStyle = `rgb(${v},${v},${v})`;
        c.fillRect(x, 60, 1, 130);
      }
      c.fillStyle = '#ff2020';
      c.fillRect(183, 60, 3, 130);
      await new Promise((r) => setTimeout(r, 80));
    }
    recorder.stop();
    await new Promise((r) => (recorder.onstop = r));
    return [...new Uint8Array(await new Blob(parts).arrayBuffer())];
  });
  await chooser.setInputFiles({ name: 'drum.webm', mimeType: 'video/webm', buffer: Buffer.from(video) });
  const turn = page.getByRole('region', { name: 'One turn' });
  await expect(turn).toContainText('Found by comparing', { timeout: 240_000 });
  // Four seconds a turn at ten pictures a second.
  expect(Math.abs(Number(await turn.getByLabel('Pictures a turn').inputValue()) - 40)).toBeLessThan(4);
  await expect.poll(() => points(page), { timeout: 240_000 }).toBeGreaterThan(1000);
});
