import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
const base = process.env.BASE ?? 'http://127.0.0.1:4780';
const b = await chromium.launch(browserOptions);
const page = await b.newPage({ viewport: { width: 1280, height: 800 } });
page.on('console', (m) => ['error'].includes(m.type()) && console.log('console', m.text().slice(0, 300)));
page.on('pageerror', (e) => console.log('pageerror', e.message));
const id = (await (await page.request.post(base + '/api/pieces', { data: { name: 'Trial jug' } })).json()).id;
await page.goto(`${base}/pieces/${id}/bench/capture`);
const c = page.locator('canvas[data-splats]');
for (const [k, setup] of [
  [0, 'Upright'],
  [1, 'Upside down'],
]) {
  if (k === 0) await page.getByRole('button', { name: 'Connect' }).click();
  await page.getByRole('button', { name: 'Record' }).waitFor({ timeout: 30000 });
  if (k === 1) {
    await page.getByRole('button', { name: /Turn the object/ }).click();
    await page.waitForTimeout(1500);
  }
  await page.screenshot({ path: `/tmp/two${k}a.png` });
  await page.getByRole('button', { name: 'Record' }).click();
  await page.waitForTimeout(1500);
  if (k === 0) await page.getByLabel('Sweep').selectOption(process.env.SWEEP ?? 'spiral');
  await page.getByRole('button', { name: 'Go', exact: true }).click();
  await page.getByRole('button', { name: 'Stop', exact: true }).waitFor();
  const t = Date.now();
  await page.waitForTimeout(12000);
  await page.screenshot({ path: `/tmp/two${k}b.png` });
  await page.getByRole('button', { name: 'Go', exact: true }).waitFor({ timeout: 200000 });
  console.log(setup, (Date.now() - t) / 1000, await c.getAttribute('data-kept'), await c.getAttribute('data-state'));
  await page.screenshot({ path: `/tmp/two${k}c.png` });
  await page.getByRole('button', { name: 'Finish this scan' }).click();
  await page
    .getByText(`Scan ${k + 1}`, { exact: true })
    .first()
    .waitFor({ timeout: 90000 });
}
await page.waitForTimeout(3000);
for (let i = 0; i < 60; i++) {
  const steps = await (await page.request.get(`${base}/api/pieces/${id}/steps`)).json();
  if (steps.every((s) => s.status !== 'running' && s.status !== 'queued')) {
    steps.forEach((s) =>
      console.log(s.operationId, s.status, s.summary, s.error, JSON.stringify(s.figures), s.notes.join('; ')),
    );
    break;
  }
  await page.waitForTimeout(2000);
}
await page.screenshot({ path: '/tmp/two2.png' });
console.log(id);
await b.close();
