import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
const base = process.env.BASE ?? 'http://127.0.0.1:4780';
const b = await chromium.launch(browserOptions);
const page = await b.newPage({ viewport: { width: 1280, height: 800 } });
page.on('console', (m) => ['error', 'warning'].includes(m.type()) && !/GPU|GL Driver/.test(m.text()) && console.log('console', m.text().slice(0, 300)));
page.on('pageerror', (e) => console.log('pageerror', e.message));
let id = process.env.PIECE;
if (!id) {
  const r = await page.request.post(base + '/api/pieces', { data: { name: 'Trial jug' } });
  id = (await r.json()).id;
}
await page.goto(`${base}/pieces/${id}/bench/plan`);
await page.waitForTimeout(1500);
await page.screenshot({ path: '/tmp/plan.png' });
await page.goto(`${base}/pieces/${id}/bench/capture`);
await page.waitForTimeout(1500);
await page.screenshot({ path: '/tmp/cap0.png' });
await page.getByRole('button', { name: 'Connect' }).click();
await page.getByRole('button', { name: 'Record' }).waitFor({ timeout: 30000 });
await page.waitForTimeout(4000);
await page.screenshot({ path: '/tmp/cap1.png' });
await page.getByRole('button', { name: 'Record' }).click();
await page.waitForTimeout(2500);
await page.getByRole('button', { name: 'Go', exact: true }).click();
for (let i = 0; i < Number(process.env.SECS ?? 30) / 5; i++) {
  await page.waitForTimeout(5000);
  const c = page.locator('canvas[data-splats]');
  console.log(i, await c.getAttribute('data-splats'), await c.getAttribute('data-state'), await c.getAttribute('data-kept'), (await page.getByLabel('Reading').innerText()).replace(/\n/g, ' | '));
  if (i === 2) await page.screenshot({ path: '/tmp/cap2.png' });
}
await page.screenshot({ path: '/tmp/cap3.png' });
console.log('piece', id);
await b.close();
