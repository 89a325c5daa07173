import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
const b = await chromium.launch(browserOptions);
const page = await b.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: process.argv[2] ?? 'light' });
page.on('console', (m) => m.type() === 'error' && console.log('console', m.text()));
page.on('pageerror', (e) => console.log('pageerror', e.message));
await page.goto('http://127.0.0.1:4780/');
await page.getByRole('button', { name: 'New piece' }).click();
await page.getByLabel('Name').fill('From a folder');
await page.getByRole('button', { name: 'Make it' }).click();
await page
  .getByLabel('Scan files')
  .setInputFiles([
    '/tmp/files/left side.ply',
    '/tmp/files/both sides.e57',
    '/tmp/files/notes.docx',
    '/tmp/files/rim.csv',
  ]);
await page.waitForTimeout(6000);
await page.screenshot({ path: '/tmp/i1.png' });
await page.getByRole('button', { name: 'Bring in' }).click();
await page.waitForTimeout(6000);
await page.screenshot({ path: '/tmp/i2.png' });

await page.waitForTimeout(500);
await page.screenshot({ path: '/tmp/i3.png' });
await b.close();
