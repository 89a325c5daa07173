import { spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import WebSocket from 'ws';
import { browserOptions } from './browser-options.mjs';

/**
 * Rate and memory of live tracking in the browser, against a running Amber Knit: records the jug in front of the
 * hand-held device, sweeping round and round, and prints frames a second and memory.
 *
 *   node e2e/live-rate.mjs [--seconds 30] [--heaps] [--picture FILE]
 *
 * The share of the cores that is idle and that which the machine's host keeps for others ("stolen", a virtual machine's)
 * stand beside every rate: a rate counts only where next to nothing was stolen.
 *
 * `--heaps` has the page and its workers collect their garbage twice a minute and prints what each still holds
 * (objects and array buffers, MB): what grows there is really kept.
 *
 * The browser is spoken to by hand and not by Playwright, which has every frame that comes over the socket copied to
 * itself: that alone takes a tenth of the two cores.
 */

const { values } = parseArgs({
  options: {
    seconds: { type: 'string', default: '30' },
    heaps: { type: 'boolean' },
    picture: { type: 'string' },
  },
});
const seconds = Number(values.seconds);
const base = process.env.BASE_URL ?? 'http://127.0.0.1:4780';

/** A page of a fresh browser, with `run` to evaluate an expression in it. */
async function openPage(url) {
  const profile = mkdtempSync(join(tmpdir(), 'amber-rate-'));
  const args = [
    ...browserOptions.args,
    '--remote-debugging-port=0',
    `--user-data-dir=${profile}`,
    '--window-size=1280,800',
  ];
  const browser = spawn(browserOptions.executablePath, [...args, url], { stdio: ['ignore', 'ignore', 'pipe'] });
  const endpoint = await new Promise((resolve) => {
    browser.stderr.on('data', (d) => {
      const at = /ws:\/\/([^/]+)/.exec(String(d));
      if (at) resolve(at[1]);
    });
  });
  const targets = await (await fetch(`http://${endpoint}/json`)).json();
  const socket = new WebSocket(targets.find((t) => t.type === 'page').webSocketDebuggerUrl);
  await new Promise((resolve) => socket.on('open', resolve));
  const waiting = new Map();
  /** Sessions of the page's workers by id: their names. */
  const workers = new Map();
  socket.on('message', (m) => {
    const { id, method, params, result, error } = JSON.parse(m);
    if (method === 'Target.attachedToTarget') {
      workers.set(params.sessionId, params.targetInfo.url.replace(/.*\/|-[^-]*$|\..*/g, ''));
      void attachToWorkers(params.sessionId);
    }
    if (method === 'Target.detachedFromTarget') workers.delete(params.sessionId);
    waiting.get(id)?.(error ? { error } : result);
    waiting.delete(id);
  });
  let last = 0;
  const send = (method, params = {}, sessionId = undefined) =>
    new Promise((resolve) => {
      waiting.set(++last, resolve);
      socket.send(JSON.stringify({ id: last, method, params, sessionId }));
    });
  const attachToWorkers = (session) =>
    send('Target.setAutoAttach', { autoAttach: true, waitForDebuggerOnStart: false, flatten: true }, session);
  await attachToWorkers();
  return {
    send,
    pid: browser.pid,
    async run(expression) {
      const answer = await send('Runtime.evaluate', { expression, returnByValue: true, awaitPromise: true });
      if (answer.exceptionDetails) throw new Error(answer.exceptionDetails.exception?.description ?? expression);
      return answer.result?.value;
    },
    /** What the page and each worker hold after a collection, MB. */
    async heaps() {
      const held = [];
      for (const [session, name] of [[undefined, 'page'], ...workers]) {
        await send('HeapProfiler.collectGarbage', {}, session);
        const { usedSize, backingStorageSize, embedderHeapUsedSize } = await send('Runtime.getHeapUsage', {}, session);
        const mb = (bytes) => ((bytes ?? 0) / 1e6).toFixed(1);
        held.push(`${name} ${mb(usedSize)}+${mb(backingStorageSize)}+${mb(embedderHeapUsedSize)}`);
      }
      return held.join(', ');
    },
    close() {
      socket.close();
      browser.kill();
      browser.on('exit', () => rmSync(profile, { recursive: true, force: true, maxRetries: 5 }));
    },
  };
}

/** Resident memory of the process that the page and its workers live in, MB: the largest child of the browser. */
function pageMemory(pid) {
  const parent = new Map();
  for (const p of readdirSync('/proc').filter((name) => /^\d+$/.test(name))) {
    try {
      parent.set(Number(p), Number(readFileSync(`/proc/${p}/stat`, 'utf8').replace(/.*\) /, '').split(' ')[1]));
    } catch {
      // Ended meanwhile.
    }
  }
  const isBelow = (p) => p > 1 && (p === pid || isBelow(parent.get(p) ?? 0));
  let most = 0;
  for (const p of parent.keys()) {
    if (p === pid || !isBelow(p)) continue;
    const rss = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${p}/status`, 'utf8'));
    if (readFileSync(`/proc/${p}/cmdline`, 'utf8').includes('--type=renderer'))
      most = Math.max(most, Number(rss[1]) / 1024);
  }
  return most;
}

/** Time of all cores so far, by what it went to: idle (or waiting), stolen by the host, all. */
function coreTime() {
  const [user, nice, system, idle, wait, irq, soft, stolen] = readFileSync('/proc/stat', 'utf8')
    .split('\n')[0]
    .split(/ +/)
    .slice(1)
    .map(Number);
  return { idle: idle + wait, stolen, all: user + nice + system + idle + wait + irq + soft + stolen };
}

/** Shares between two readings, in words. */
function shares(from, to) {
  const percent = (of) => `${((100 * (to[of] - from[of])) / (to.all - from.all)).toFixed(0)} %`;
  return `idle ${percent('idle')}, stolen ${percent('stolen')}`;
}

const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
const named = (name) =>
  `[...document.querySelectorAll('button')].find((b) => b.textContent.trim() === ${JSON.stringify(name)})`;

async function press(page, name) {
  for (let tries = 0; tries < 100; tries++, await pause(200))
    if (
      await page.run(
        `(() => { const b = ${named(name)}; if (!b || b.disabled) return false; b.click(); return true; })()`,
      )
    )
      return;
  throw new Error(`No button "${name}".`);
}

const plan = {
  kind: 'vessel',
  size: 150,
  surfaces: ['matte'],
  shape: 'some',
  marks: 'plenty',
  still: true,
  mayTouch: true,
  light: 'room',
  finish: 'archive',
  deviceId: 'hand-held-light',
};
const json = { 'content-type': 'application/json' };
const piece = await (
  await fetch(`${base}/api/pieces`, { method: 'POST', headers: json, body: '{"name":"Rate of live tracking"}' })
).json();
await fetch(`${base}/api/pieces/${piece.id}`, { method: 'PATCH', headers: json, body: JSON.stringify({ plan }) });
const page = await openPage(`${base}/pieces/${piece.id}/bench/capture`);
await press(page, 'Connect');
await pause(6000);
await press(page, 'Record');
await pause(2000);
await press(page, 'Go');

const canvas = `document.querySelector('canvas[data-splats]').dataset`;
const frames = () => page.run(`Number(${canvas}.frames)`);
const begun = performance.now();
const first = await frames();
let [before, beforeAt] = [first, begun];
const coresAtFirst = coreTime();
let coresBefore = coresAtFirst;
let round = 0;
while (performance.now() - begun < 1000 * seconds) {
  await pause(Math.min(10_000, 1000 * seconds));
  const [now, at] = [await frames(), performance.now()];
  const { state, splats, kept } = await page.run(`({ ...${canvas} })`);
  const cores = coreTime();
  const memory = pageMemory(page.pid).toFixed(0);
  const rate = (1000 * (now - before)) / (at - beforeAt);
  console.log(
    `${((at - begun) / 1000).toFixed(0)} s: ${rate.toFixed(1)} frames/s, ${state}, ${splats} splats, ${kept} kept, memory ${memory} MB, ${shares(coresBefore, cores)}`,
  );
  [before, beforeAt, coresBefore] = [now, at, cores];
  if (values.heaps && ++round % 3 === 0) console.log(`  held: ${await page.heaps()}`);
  await page.run(`(() => { const b = ${named('Go')}; if (b && !b.disabled) b.click(); })()`);
}
console.log(
  `all in all ${((1000 * (before - first)) / (beforeAt - begun)).toFixed(1)} frames/s, ${shares(coresAtFirst, coresBefore)}`,
);
if (values.picture) {
  const { data } = await page.send('Page.captureScreenshot');
  writeFileSync(values.picture, Buffer.from(data, 'base64'));
}
page.close();
