import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
const b = await chromium.launch(browserOptions);
const p = await b.newPage({ viewport: { width: 1280, height: 800 } });
const id = (await (await fetch('http://127.0.0.1:4780/api/pieces')).json())[0].id;
await p.goto(`http://127.0.0.1:4780/pieces/${id}/bench/${process.argv[2]??'texture'}`);
await p.waitForTimeout(7000);
const c = p.locator('canvas'); const bx = await c.boundingBox();
await c.focus(); await p.keyboard.press(process.argv[3]??'1'); for (let i=0;i<3;i++) await p.keyboard.press('ArrowUp');
for (let i=0;i<4;i++) await p.keyboard.press('Shift+ArrowDown');
for (let i=0;i<6;i++) { await p.keyboard.press('+'); await p.waitForTimeout(200);} 
await p.waitForTimeout(3000);
await p.screenshot({ path: '/tmp/shots/zoom.png', timeout: 90000 });
await b.close();
