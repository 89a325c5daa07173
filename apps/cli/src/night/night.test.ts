import { execFile, spawn } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writePly } from '@amber-knit/core/io';
import { findObjects } from './find-objects.js';
import { nightPage } from './night-page.js';
import type { NightResult } from './night-result.js';
import { usualHands } from './run-night.js';

const bin = new URL('../../bin/amberknit.js', import.meta.url).pathname;
const dir = mkdtempSync(join(tmpdir(), 'amber-night-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));

/** A whole bumpy ball, seen from nowhere. */
function ball(points: number, seed: number): Uint8Array {
  const positions: number[] = [];
  for (let i = 0; i < points; i++) {
    const z = 1 - (2 * (i + 0.5)) / points;
    const phi = i * Math.PI * (3 - Math.sqrt(5)) + seed;
    const r = Math.sqrt(1 - z * z);
    const bump = 30 * (1 + 0.1 * Math.sin(3 * phi + seed) * r);
    positions.push(r * Math.cos(phi) * bump, r * Math.sin(phi) * bump, z * bump);
  }
  return writePly({ positions: Float32Array.from(positions) });
}

/** A day of four objects: two whole, one broken, one empty folder. */
function makeDay(name: string, points: number): string {
  const day = join(dir, name);
  for (const [object, bytes] of [
    ['bollard', ball(points, 1)],
    ['cleat', ball(points, 2)],
    ['torn', ball(points, 3).subarray(0, 5000)],
  ] as const) {
    mkdirSync(join(day, object), { recursive: true });
    writeFileSync(join(day, object, 'scan.ply'), bytes);
  }
  mkdirSync(join(day, 'empty'));
  return day;
}

const QUICK = ['--answer', 'support=no', '--answer', 'fineness=quick', '--quiet'];
function night(...args: string[]): Promise<{ code: number; out: string; err: string }> {
  return new Promise((resolve) => {
    const env = { ...process.env, NODE_OPTIONS: '' };
    execFile(process.execPath, [bin, 'night', ...args], { env }, (error, out, err) =>
      resolve({ code: error ? Number(error.code) : 0, out, err }),
    );
  });
}
const summary = (out: string) =>
  JSON.parse(readFileSync(join(out, 'night.json'), 'utf8')) as { objects: NightResult[]; left: string[] };

test('objects are folders and files; a rule gathers files; folders of folders are setups', async () => {
  const day = join(dir, 'found');
  const put = (path: string): void => {
    mkdirSync(join(day, path, '..'), { recursive: true });
    writeFileSync(join(day, path), 'x');
  };
  [
    'jug/upright/a.ply',
    'jug/turned/b.ply',
    'fork/scan.ply',
    'wheel_1.ply',
    'wheel_2.ply',
    'notes.docx',
    '.hidden/a.ply',
  ].forEach(put);
  const found = await findObjects(day);
  expect(found.map((o) => o.name)).toEqual(['fork', 'jug', 'wheel_1', 'wheel_2']);
  expect(found[1].paths.map((p) => p.slice(day.length + 1))).toEqual([join('jug', 'turned'), join('jug', 'upright')]);
  const gathered = await findObjects(day, /^(\w+)_\d/);
  expect(gathered.find((o) => o.name === 'wheel')?.paths).toHaveLength(2);
  const before = gathered.find((o) => o.name === 'wheel')!.mark;
  utimesSync(join(day, 'wheel_1.ply'), 1e9, 1e9);
  expect((await findObjects(day, /^(\w+)_\d/)).find((o) => o.name === 'wheel')!.mark).not.toBe(before);
  await expect(findObjects(join(day, 'nowhere'))).rejects.toThrow(/no folder/);
});

test('as many hands as cores and memory allow, and one at least', () => {
  expect(usualHands(1000, 8, 3.5e9)).toBe(3);
  expect(usualHands(1000, 2, 64e9)).toBe(2);
  expect(usualHands(4000, 8, 1e9)).toBe(1);
});

test('one that fails ends alone and is named; what is done is not done again, what changed is', async () => {
  const [day, out] = [makeDay('day', 4000), join(dir, 'out')];
  const first = await night('--in', day, '--out', out, '--hands', '2', ...QUICK);
  expect(first.code).toBe(1);
  const { objects, left } = summary(out);
  expect(left).toEqual([]);
  const of = (name: string): NightResult => objects.find((o) => o.name === name)!;
  expect(of('torn')).toMatchObject({ state: 'failed', exit: 3, why: expect.stringContaining('cut off') as string });
  expect(of('empty')).toMatchObject({
    state: 'failed',
    exit: 3,
    why: expect.stringContaining('no scan files') as string,
  });
  for (const name of ['bollard', 'cleat']) {
    expect(of(name).state).not.toBe('failed');
    for (const file of ['mesh.ply', 'mesh.glb', 'report.json', 'picture.png', 'log.txt'])
      expect(existsSync(join(out, name, file))).toBe(true);
  }
  const page = readFileSync(join(out, 'index.html'), 'utf8');
  expect(page).toMatch(/<b>2<\/b> failed/);
  expect(page).toContain('bollard/picture.png');

  const written = (name: string): number => statSync(join(out, name, 'mesh.ply')).mtimeMs;
  const [bollard, cleat] = [written('bollard'), written('cleat')];
  writeFileSync(join(day, 'torn', 'scan.ply'), ball(4000, 3));
  rmSync(join(day, 'empty'), { recursive: true });
  writeFileSync(join(day, 'cleat', 'scan.ply'), ball(4500, 2));
  const second = await night('--in', day, '--out', out, '--hands', '1', ...QUICK);
  expect(second.code).not.toBe(1);
  expect(written('bollard')).toBe(bollard);
  expect(written('cleat')).toBeGreaterThan(cleat);
  expect(summary(out).objects.map((o) => o.name)).toEqual(['bollard', 'cleat', 'torn']);
});

test('killed in the middle, it goes on with what was not finished', async () => {
  const [day, out] = [makeDay('cut', 3000), join(dir, 'cut-out')];
  const env = { ...process.env, NODE_OPTIONS: '' };
  const args = [bin, 'night', '--in', day, '--out', out, '--hands', '1', ...QUICK];
  const child = spawn(process.execPath, args, { env, detached: true, stdio: 'ignore' });
  const firstDone = join(out, 'bollard', 'night.json');
  for (let i = 0; i < 1200 && !existsSync(firstDone); i++) await new Promise((r) => setTimeout(r, 50));
  process.kill(-child.pid!, 'SIGKILL');
  await new Promise((r) => setTimeout(r, 300));
  const before = statSync(firstDone).mtimeMs;
  await night(...args.slice(2));
  expect(statSync(firstDone).mtimeMs).toBe(before);
  expect(summary(out).objects.map((o) => o.name)).toEqual(['bollard', 'cleat', 'empty', 'torn']);
});

test('wrong usage ends with 2 before anything is run', async () => {
  const day = join(dir, 'found');
  for (const args of [
    [],
    ['--in', day],
    ['--in', join(dir, 'nowhere'), '--out', dir],
    ['--in', day, '--out', dir, '--recipe', 'nothing'],
    ['--in', day, '--out', dir, '--answer', 'kind=spaceship'],
    ['--in', day, '--out', dir, '--hands', '0'],
    ['--in', day, '--out', dir, '--group', '('],
    ['--in', day, '--out', dir, '--recipe', 'quick', '--answer', 'kind=part'],
  ]) {
    const r = await night(...args);
    expect([args, r.code]).toEqual([args, 2]);
    expect(r.err).toMatch(/Usage:/);
  }
});

test('names cannot break out of the summary', () => {
  const result = { name: '<script>"x"', state: 'failed', exit: 1, why: '<b>', seconds: 1, mark: '' } as const;
  const page = nightPage([result], ['<i>']);
  expect(page).not.toMatch(/<script>|<b><\/p>|<i>/);
  expect(page).toContain('&lt;script&gt;');
});
