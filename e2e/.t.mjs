import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
const b = await chromium.launch(browserOptions);
const p = await b.newPage({ viewport: { width: 1280, height: 800 } });
const id = (await (await fetch('http://127.0.0.1:4780/api/pieces')).json())[0].id;
await p.addInitScript(() => {
  window.__log = [];
  const of = window.fetch;
  const t0 = () => Math.round(performance.now());
  window.fetch = async (...a) => {
    const u = String(a[0].url ?? a[0]);
    if (u.includes('artifacts')) __log.push([t0(), 'fetch', u.slice(-45)]);
    const r = await of(...a);
    if (u.includes('artifacts')) __log.push([t0(), 'head', u.slice(-45)]);
    return r;
  };
  const oraf = window.requestAnimationFrame;
  window.requestAnimationFrame = (cb) =>
    oraf((t) => {
      const a = performance.now();
      cb(t);
      const d = performance.now() - a;
      if (d > 8) __log.push([t0(), 'raf', Math.round(d)]);
    });
  new PerformanceObserver((l) => {
    for (const e of l.getEntries()) __log.push([Math.round(e.startTime), 'long', Math.round(e.duration)]);
  }).observe({ entryTypes: ['longtask'] });
});
await p.goto(`http://127.0.0.1:4780/pieces/${id}`);
await p.waitForTimeout(1500);
await p.evaluate(() => {
  window.__log.length = 0;
  window.__log.push([Math.round(performance.now()), 'click']);
});
await p.getByRole('button', { name: 'Open the bench' }).click();
if (process.argv[2]) await p.getByRole('link', { name: /^Clean/ }).click();
await p.waitForTimeout(6000);
const l = await p.evaluate(() => window.__log.sort((a, b) => a[0] - b[0]));
const t = l[0][0];
for (const e of l) console.log(e[0] - t, ...e.slice(1));
await b.close();
