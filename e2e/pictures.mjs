#!/usr/bin/env node
/**
 * Takes the pictures of docs/screenshots from the running application with its demo piece, walking the piece
 * through its stages by the same calls as the interface.
 *
 *   node e2e/pictures.mjs [--out DIR] [--theme light|dark] [--size 1280x800] [--only name,name] [--no-run]
 */
import { parseArgs } from 'node:util';
import { chromium } from '@playwright/test';
import { browserOptions } from './browser-options.mjs';
import { evenWheelFiles } from './even-wheel.mjs';
import { unsureFiles } from './unsure-files.mjs';

const { values } = parseArgs({
  options: {
    out: { type: 'string', default: 'docs/screenshots' },
    theme: { type: 'string', default: 'light' },
    size: { type: 'string', default: '1280x800' },
    only: { type: 'string' },
    'no-run': { type: 'boolean', default: false },
  },
});
const base = process.env.BASE_URL ?? 'http://127.0.0.1:4780';
const [width, height] = values.size.split('x').map(Number);

async function call(method, path, body) {
  const response = await fetch(`${base}/api/${path}`, {
    method,
    headers: { 'content-type': 'application/json' },
    body: body && JSON.stringify(body),
  });
  if (!response.ok) throw new Error(`${method} ${path}: ${await response.text()}`);
  return response.json();
}

const piece = (await call('GET', 'pieces')).find((p) => p.name === 'Galley jug');

/** Runs one operation with its suggested values and waits for its end. */
async function run(operationId, params = {}, { id } = piece) {
  const suggested = await call('GET', `pieces/${id}/suggestions?operation=${operationId}`);
  let step = await call('POST', `pieces/${id}/steps`, {
    operationId,
    params: { ...suggested.values, ...params },
  });
  while (step.status === 'queued' || step.status === 'running') {
    await new Promise((resolve) => setTimeout(resolve, 400));
    step = await call('GET', `steps/${step.id}`);
  }
  console.log(`${operationId}: ${step.status} ${step.summary ?? step.error}`);
}

/** The surface as it stands as an STL file, up to 0.7 mm wider or narrower along its height. */
async function widerJug() {
  await run('deliver.export', { format: 'stl' });
  const step = (await call('GET', `pieces/${piece.id}/steps`)).filter((s) => s.operationId === 'deliver.export').pop();
  const data = await fetch(`${base}/api/artifacts/${step.outputs[0]}/data`);
  const buffer = Buffer.from(await data.arrayBuffer());
  // Binary STL: 84 bytes, then 50 a triangle, its three corners after its normal.
  for (let at = 84; at < buffer.length; at += 50) {
    for (let corner = at + 12; corner < at + 48; corner += 12) {
      const wider = 1 + 0.012 * Math.sin(buffer.readFloatLE(corner + 8) / 18);
      for (const k of [corner, corner + 4]) buffer.writeFloatLE(wider * buffer.readFloatLE(k), k);
    }
  }
  return { name: 'mould.stl', mimeType: 'model/stl', buffer };
}

const browser = await chromium.launch(browserOptions);
const page = await browser.newPage({ viewport: { width, height } });
page.on('pageerror', (e) => console.log('page error:', e.message));
await page.addInitScript((theme) => localStorage.setItem('amber-knit-theme', theme), values.theme);

async function picture(name, path, prepare) {
  if (values.only && !values.only.split(',').includes(name)) return;
  await page.goto(`${base}${path}`);
  await page.waitForTimeout(path.includes('bench') ? 7000 : 1500);
  await prepare?.();
  await page.screenshot({ path: `${values.out}/${name}.png`, timeout: 90_000 });
  console.log(`${name}.png`);
}

/** Scrolls a panel to the top of its column, and nothing else. */
const toTop = (e) => {
  const column = e.closest('aside');
  column.scrollBy(0, e.getBoundingClientRect().top - column.getBoundingClientRect().top);
};
const bench = (stage) => `/pieces/${piece.id}/bench/${stage}`;
const steps = values['no-run'] ? async () => {} : run;

// A piece of its own, planned and half scanned; the capture is given up after the picture.
const wanted = (name) => !values.only || values.only.split(',').includes(name);
if (wanted('plan') || wanted('capture')) {
  const trial = await call('POST', 'pieces', { name: 'Jug, scanned by hand' });
  const plan = { kind: 'vessel', size: 150, surfaces: ['glossy'], shape: 'some', marks: 'plenty', still: true };
  const rest = { mayTouch: true, light: 'room', finish: 'archive', deviceId: 'hand-held-light' };
  await call('PATCH', `pieces/${trial.id}`, { plan: { ...plan, ...rest } });
  await picture('plan', `/pieces/${trial.id}/bench/plan`);
  await picture('capture', `/pieces/${trial.id}/bench/capture`, async () => {
    await page.getByRole('button', { name: 'Connect' }).click();
    await page.getByRole('button', { name: 'Record', exact: true }).click({ timeout: 60_000 });
    await page.locator('canvas[data-state=tracked]').waitFor();
    await page.getByRole('button', { name: 'Go', exact: true }).click();
    await page.waitForTimeout(16_000);
    await page.getByRole('complementary', { name: /Capture/ }).evaluate((e) => e.scrollTo(0, 0));
  });
}

if (wanted('doubt')) {
  const wheel = await call('POST', 'pieces', { name: 'Hand wheel, painted evenly' });
  await page.goto(`${base}/pieces/${wheel.id}/bench/capture`);
  await page.getByLabel('Scan files').setInputFiles(evenWheelFiles(8, 60_000));
  await page.getByRole('complementary', { name: 'Strands' }).getByText('scan_07').waitFor({ timeout: 90_000 });
  await run('register.automatic', {}, wheel);
  await picture('doubt', `/pieces/${wheel.id}/bench/register`, async () => {
    await page.getByRole('radio').nth(1).check();
    await page.getByRole('button', { name: 'Compare with now in the view' }).click();
    await page.waitForTimeout(2500);
  });
}

/** The Capture stage of a fresh piece with one of the other devices. */
async function captured(name, device, prepare) {
  if (!wanted(name)) return;
  const trial = await call('POST', 'pieces', { name: `${device}: a trial` });
  await picture(name, `/pieces/${trial.id}/bench/capture`, async () => {
    await page.getByText(device, { exact: true }).click();
    await page.getByRole('button', { name: 'Connect' }).click();
    await page.getByRole('button', { name: 'Record', exact: true }).waitFor({ timeout: 60_000 });
    await page.waitForTimeout(5000);
    await prepare();
    await page.getByRole('complementary', { name: /Capture/ }).evaluate((e) => e.scrollTo(0, 0));
  });
}
await captured('capture-turntable', 'Structured light with turntable', async () => {
  await page.getByText('Nothing on it').click();
  await page.waitForTimeout(3000);
  await page.getByRole('button', { name: 'Learn the empty support' }).click();
  await page.getByText('Empty support learned').waitFor({ timeout: 60_000 });
  await page.getByText('Nothing on it').click();
  await page.waitForTimeout(3000);
  await page.getByRole('button', { name: 'Record', exact: true }).click();
  await page.getByText('stops aligned').waitFor({ timeout: 180_000 });
  await page.waitForTimeout(3000);
});
await captured('capture-line-laser', 'Camera with line laser', async () => {
  for (let i = 0; i < 16; i++) {
    await page.getByRole('button', { name: 'Tilt down' }).click();
    await page.waitForTimeout(150);
  }
  await page.getByText('Nothing on it').click();
  await page.waitForTimeout(3000);
  await page.getByRole('button', { name: 'Measure from the empty platform' }).click();
  await page.getByText('Measured along').waitFor();
  await page.getByText('Nothing on it').click();
  await page.waitForTimeout(2000);
  await page.getByRole('button', { name: 'Record', exact: true }).click();
  const pictures = () => page.getByRole('slider', { name: 'Picture of the recording' }).getAttribute('aria-valuemax');
  while (Number(await pictures()) < 256) await page.waitForTimeout(1000);
  await page.getByRole('button', { name: /^Stop/ }).click();
  await page.getByRole('button', { name: 'Make a scan of it' }).waitFor({ timeout: 60_000 });
  await page.waitForTimeout(20_000);
  await page.getByLabel(/^Points of the turn/).click({ position: { x: 180, y: 320 } });
  await page.waitForTimeout(2500);
});

if (wanted('import')) {
  const trial = await call('POST', 'pieces', { name: 'A day’s scans' });
  await picture('import', `/pieces/${trial.id}/bench/capture`, async () => {
    await page.getByLabel('Scan files').setInputFiles(unsureFiles());
    await page.getByText('Columns of lip.csv').waitFor();
    await page.getByText('ear.ply: which unit?').waitFor({ timeout: 60_000 });
    await page.waitForTimeout(1500);
  });
}

await picture('clean', bench('clean'), async () => {
  await page.getByRole('button', { name: 'Mark what would go' }).first().click();
  await page.getByRole('status', { name: 'Selection' }).getByText('points in 8 scans').waitFor({ timeout: 60_000 });
  await page.waitForTimeout(2500);
});
await steps('clean.support');
await steps('clean.strays');
await steps('register.automatic');
await picture('register', bench('register'), async () => {
  const next = page.getByRole('region', { name: 'Where to scan next' });
  await next.getByRole('button', { name: 'Find places' }).click();
  await next.getByRole('listitem').first().waitFor({ timeout: 60_000 });
  await next.getByRole('listitem').nth(1).getByRole('button').click();
  await page.getByRole('region', { name: 'How they hold together' }).getByRole('button', { name: 'Pairs' }).click();
  await page.getByRole('heading', { name: 'How they hold together' }).scrollIntoViewIfNeeded();
  await page.waitForTimeout(2500);
});
await picture('guided-questions', `/pieces/${piece.id}/guided`, async () => {
  for (const name of ['Vessel', 'Show it', 'On a table or floor'])
    await page.getByRole('radio', { name }).check({ force: true });
});
await steps('fuse.surface');
await picture('fuse', bench('fuse'), async () => {
  await page.getByRole('checkbox', { name: 'Show it on the surface' }).check();
  await page.getByRole('combobox', { name: 'By' }).selectOption('angle');
  await page.getByText('of the measured surface is').waitFor();
  await page.waitForTimeout(2000);
});
await picture('mend', bench('mend'), async () => {
  await page.getByText('Not watertight').waitFor();
  const hand = page.getByRole('region', { name: 'By hand' });
  await hand.getByRole('button', { name: 'Refill' }).click();
  await page.getByText('The right button turns. Escape ends it.').waitFor();
  await hand.getByLabel('Brush').scrollIntoViewIfNeeded();
  const view = await page.locator('canvas').boundingBox();
  const at = (x, y) => page.mouse.move(view.x + x * view.width, view.y + y * view.height, { steps: 12 });
  await at(0.38, 0.62);
  await page.mouse.down();
  await at(0.45, 0.66);
  await page.waitForTimeout(2000);
});
await page.mouse.up();
await steps('mend.all');
await steps('mend.reduce');
await steps('texture.map', { mapSize: 2048 });
await picture('texture', bench('texture'), async () => {
  const colours = page.getByRole('region', { name: 'Colours by hand' });
  await colours.getByRole('button', { name: 'Heal' }).click();
  await colours.getByRole('img', { name: 'The map laid flat' }).waitFor();
  await page.waitForTimeout(3000);
  await colours.evaluate(toTop);
  const view = await page.locator('canvas').first().boundingBox();
  await page.mouse.move(view.x + 0.42 * view.width, view.y + 0.6 * view.height, { steps: 4 });
  await page.waitForTimeout(1500);
});
await steps('texture.bake');
await picture('light-model', bench('texture'), async () => {
  const light = page.getByRole('region', { name: 'Light model' });
  await light.getByRole('button', { name: /^Light/ }).click();
  await light.getByLabel('Map shown').selectOption('Normals');
  await light.getByRole('img', { name: 'The map: Normals' }).waitFor();
  await light.getByRole('button', { name: 'Compare with the whole' }).click();
  await page.getByRole('button', { name: 'Wireframe' }).click();
  await light.getByLabel('Map shown').selectOption('As it looks');
  await light.evaluate(toTop);
  await page.waitForTimeout(6000);
  await page.getByRole('button', { name: 'Wireframe' }).click();
  await page.waitForTimeout(3000);
});
await steps('check.inspect');
await picture('check', bench('check'), async () => {
  const view = await page.locator('canvas').boundingBox();
  const click = async (x, y) => {
    await page.mouse.click(view.x + x * view.width, view.y + y * view.height);
    await page.waitForTimeout(300);
  };
  const pick = (name) =>
    page.getByRole('group', { name: 'What to measure' }).getByRole('button', { name, exact: true }).click();
  await pick('Distance');
  await click(0.36, 0.2);
  await click(0.63, 0.2);
  await pick('Along');
  await click(0.42, 0.62);
  await click(0.56, 0.5);
  await pick('Wall');
  await click(0.4, 0.75);
  await pick('Section');
  await click(0.42, 0.3);
  await pick('Holds');
  await page.getByText('5 dimensions').first().waitFor();
  // The jug against itself as if its mould had been a little wider in the middle.
  await page.getByLabel('File of the reference').setInputFiles(await widerJug());
  await page.getByText('Furthest off', { exact: true }).last().waitFor();
  await page.waitForTimeout(2500);
});
if (wanted('placing')) {
  const place = (await call('GET', 'pieces')).find((p) => p.name === 'Wheelhouse corner');
  const { mesh } = await call('GET', `pieces/${place.id}`);
  const brought = { artifact: mesh.id, operationId: 'check.surroundings' };
  let step = await call('POST', `pieces/${piece.id}/imports`, brought);
  while (step.status !== 'done') {
    await new Promise((resolve) => setTimeout(resolve, 400));
    step = await call('GET', `steps/${step.id}`);
  }
  const at = (x, y, z) => ({ note: '', sceneFromPiece: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1] });
  const placings = [
    { name: 'On the shelf', ...at(-585, 46, 620) },
    { name: 'Against the wheel', ...at(-590, 4, 620) },
  ];
  await run('check.placings', { placings, ways: true });
  await picture('placing', bench('check'), async () => {
    const panel = page.getByRole('region', { name: 'In another place' });
    await panel.getByRole('button', { name: /^Against the wheel/ }).click();
    await panel
      .getByRole('status', { name: 'How it lies' })
      .getByText('In the same place')
      .waitFor({ timeout: 60_000 });
    await panel.getByRole('button', { name: 'Go there' }).click();
    await panel.evaluate(toTop);
    await page.waitForTimeout(3500);
  });
}
await steps('deliver.export', { name: 'galley jug' });
await picture('deliver', bench('deliver'));
if (wanted('shared')) {
  const files = (await call('GET', `pieces/${piece.id}/steps`)).filter((s) => s.operationId === 'deliver.export');
  const terms = { looks: ['shape', 'sureness', 'section'], measuring: true, dimensions: true, endsAt: null };
  const note = 'Please look at the lip before we cast it.';
  const named = { name: 'Owner of the ferry', note, files: files.slice(-1).flatMap((s) => s.outputs) };
  const { address } = await call('POST', `pieces/${piece.id}/shared-views`, { ...terms, ...named });
  await picture('shared', address, () => page.waitForTimeout(6000));
}
if (wanted('guided-verdict')) {
  // What was done by hand counts: the run asks what it must and judges.
  const answers = {
    kind: 'vessel',
    finish: 'render',
    fineness: 'even',
    support: 'yes',
    others: 'no',
    openings: 'close',
  };
  let { run: guided } = await call('PUT', `pieces/${piece.id}/guided`, answers);
  while (guided.status !== 'done') {
    await new Promise((resolve) => setTimeout(resolve, 1000));
    const [path, stop] = [`pieces/${piece.id}/guided`, guided.stop?.key];
    if (stop) await call('POST', `${path}/decisions`, { stop, choice: guided.stop.safe });
    ({ run: guided } = await call('GET', path));
  }
  await picture('guided-verdict', `/pieces/${piece.id}/guided`);
}
await picture('knit-chart', `/pieces/${piece.id}`);
await picture('ledger', `/pieces/${piece.id}/ledger`);
await picture('shelf', '/');
await browser.close();
