import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
import fs from 'fs';
const b = await chromium.launch(browserOptions); const page = await b.newPage({ viewport: { width: 1280, height: 800 } });
page.on('pageerror', e => console.log('ERR', e.message));
await page.goto('http://127.0.0.1:4780/');
await page.getByRole('button', { name: 'New piece' }).click();
await page.getByLabel('Name').fill('Plain wheel');
await page.getByRole('button', { name: 'Make it' }).click();
await page.getByText('No scans yet').waitFor();
const files = fs.readdirSync('/tmp/pw').filter(f=>f.endsWith('.ply')).map(f=>'/tmp/pw/'+f);
await page.getByLabel('Scan files').setInputFiles(files);
await page.getByRole('complementary', { name: 'Strands' }).getByText('scan_07', { exact: true }).waitFor({timeout:120000});
await page.waitForTimeout(3000);
const url = page.url(); console.log(url); const id = url.match(/pieces\/([^/]+)/)[1];
const call = async (m,p,body)=> (await fetch('http://127.0.0.1:4780/api/'+p,{method:m,headers:{'content-type':'application/json'},body:body&&JSON.stringify(body)})).json();
for (const op of ['clean.support','clean.strays','register.automatic']) {
  let s = await call('POST', `pieces/${id}/steps`, {operationId: op, params: {}});
  while(['queued','running'].includes(s.status)) { await new Promise(r=>setTimeout(r,500)); s = (await call('GET',`pieces/${id}/steps`)).find(x=>x.id===s.id); }
  console.log(op, s.status, s.summary, s.error, s.notes.slice(0,3));
}
await page.goto(url.replace(/bench.*/,'bench/register')); await page.waitForTimeout(6000);
await page.screenshot({ path: '/tmp/doubt1.png' });
await page.getByRole("radio").nth(2).check(); await page.waitForTimeout(1500); await page.screenshot({ path: "/tmp/doubt2.png" }); await page.getByRole("button",{name:"Use the dark theme"}).click(); await page.getByRole("button",{name:/Leave all/}).scrollIntoViewIfNeeded(); await page.waitForTimeout(800); await page.screenshot({ path: "/tmp/doubt3.png" });
await b.close();
