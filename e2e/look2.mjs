import { chromium } from '@playwright/test';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox','--use-gl=angle','--use-angle=swiftshader','--enable-unsafe-swiftshader','--ignore-gpu-blocklist'] });
const p = await b.newPage({ viewport: { width: 1280, height: 800 } });
await p.goto('http://127.0.0.1:4780/');
const href = await p.getByRole('link', { name: /Five million/ }).first().getAttribute('href');
for (let k = 0; k < 3; k++) {
  const q = await b.newPage({ viewport: { width: 1280, height: 800 } });
  await q.goto('http://127.0.0.1:4780/'); await q.waitForTimeout(1500);
  await q.getByRole('link', { name: /Five million/ }).first().click(); await q.waitForTimeout(1500);
  const T0 = Date.now(); const log = [];
  q.on('console', (m) => m.text().startsWith('READ') || m.text().startsWith('PIC') ? log.push(m.text().replace(/\d{13}/, (x) => Number(x) - T0) + ' artifact') : 0); q.on('request', (r) => log.push(`> ${Date.now() - T0} ${r.url().slice(21, 80)}`)); q.on('requestfinished', (r) => log.push(`< ${Date.now() - T0} ${r.url().slice(21, 80)}`));
  await q.evaluate(() => { window.pts = []; setInterval(() => { const n = Number(document.querySelector('canvas[data-points]')?.dataset.points ?? 0); if (n !== window.last) { window.last = n; window.pts.push([Date.now(), n]); } }, 20); });
  await q.getByRole('link', { name: /^Capture|^Clean/ }).first().click();
  await q.waitForFunction(() => Number(document.querySelector('canvas[data-points]')?.dataset.points) > 100, undefined, { timeout: 60000 }).catch(async () => { await q.screenshot({ path: "/tmp/e.png" }); console.log("?", q.url(), log.slice(-5)); });
  await q.waitForTimeout(6000); console.log((await q.evaluate(() => window.pts)).map(([t, n]) => `${t - T0}:${n}`).slice(0, 12).join(' '));
  if (k === 2) console.log(log.filter((l) => /artifact/.test(l)).slice(0, 40).join('\n'));
  await q.close();
}
await b.close();
