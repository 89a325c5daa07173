import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
const base = process.env.BASE_URL;
const piece = (await (await fetch(`${base}/api/pieces`)).json()).find((p) => p.name === 'Galley jug');
const browser = await chromium.launch(browserOptions);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.on('console', (m) => m.type() === 'error' && console.log('console:', m.text()));
await page.goto(`${base}/pieces/${piece.id}/bench/mend`);
if (process.argv[2] === 'dark') { await page.getByRole('button', { name: 'Use the dark theme' }).click(); }
const t = Date.now();
await page.getByText(/Watertight|Not watertight/).first().waitFor();
console.log('diagnosis', Date.now() - t);
await page.waitForTimeout(2500);
const first = page.getByRole('button', { name: /^Go to fault/ }).first();
if (await first.count()) { await first.click(); }
await page.waitForTimeout(2500);
await page.screenshot({ path: `/tmp/pics/mend-${process.argv[2] ?? 'light'}.png` });
await browser.close();
