import { execFile } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writePly } from '@amber-knit/core/io';

const bin = new URL('../bin/amberknit.js', import.meta.url).pathname;
const dir = mkdtempSync(join(tmpdir(), 'amber-cli-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));

function amberknit(...args: string[]): Promise<{ code: number; out: string; err: string }> {
  return new Promise((resolve) => {
    execFile(process.execPath, [bin, ...args], { env: { ...process.env, NODE_OPTIONS: '' } }, (error, out, err) =>
      resolve({ code: error ? Number(error.code) : 0, out, err }),
    );
  });
}

const put = (name: string, bytes: Uint8Array | string): string => {
  writeFileSync(join(dir, name), bytes);
  return join(dir, name);
};

/** Half a ball seen from the origin, 300 mm away. */
function halfBall(turn: number): Uint8Array {
  const positions: number[] = [];
  for (let i = 0; i < 12_000; i++) {
    const z = 1 - (2 * (i + 0.5)) / 12_000;
    const phi = i * Math.PI * (3 - Math.sqrt(5)) + turn;
    const r = Math.sqrt(1 - z * z);
    const bump = 1 + 0.12 * Math.sin(3 * phi + turn) * r + 0.1 * z * z;
    if (z < 0) positions.push(40 * r * Math.cos(phi) * bump, 40 * r * Math.sin(phi) * bump, 300 + 40 * z * bump);
  }
  return writePly({ positions: Float32Array.from(positions) });
}

test('wrong usage ends with 2 and says how to use it', async () => {
  for (const args of [
    [],
    ['fly'],
    ['check', '--everything'],
    ['run'],
    ['run', '--in', dir],
    ['run', '--in', dir, '--out', dir, '--set', 'fuse.surface.voxel=-3'],
    ['run', '--in', dir, '--out', dir, '--units', 'furlong'],
  ]) {
    const r = await amberknit(...args);
    expect(r.code).toBe(2);
    expect(r.err).toMatch(/Usage:/);
  }
});

test('refused inputs end with 3 and name the file and the fault', async () => {
  const whole = halfBall(0);
  const cases: [string, Uint8Array | string, RegExp][] = [
    ['empty.ply', '', /empty \(0 bytes\)/],
    ['cut.ply', whole.subarray(0, 4000), /cut off/],
    ['letter.stl', 'Dear colleague, the scan is attached. '.repeat(9), /not an STL file/],
    ['ten.ply', writePly({ positions: Float32Array.from({ length: 30 }, (_, i) => i) }), /holds 10 points/],
    ['metres.ply', writePly({ positions: Float32Array.from({ length: 900 }, (_, i) => 0.0001 * i) }), /--units/],
    ['packed.ply', Uint8Array.from([0x50, 0x4b, 3, 4, 9, 9]), /cut off or damaged/],
  ];
  for (const [name, bytes, message] of cases) {
    const r = await amberknit('run', '--in', put(name, bytes), '--out', join(dir, 'never'));
    expect(r.code).toBe(3);
    expect(r.err).toContain(name);
    expect(r.err).toMatch(message);
  }
  expect((await amberknit('run', '--in', join(dir, 'missing.ply'), '--out', join(dir, 'never'))).code).toBe(3);
});

test('notes and tables that lie beside the scans of a folder are not taken for scans', async () => {
  const folder = join(dir, 'mixed');
  mkdirSync(folder);
  writeFileSync(join(folder, 'half.ply'), halfBall(0));
  writeFileSync(join(folder, 'README.txt'), 'Scanned on a Tuesday.');
  writeFileSync(join(folder, 'report.csv'), 'scan,operator\nhalf,me\n');
  const r = await amberknit('info', folder);
  expect(r.err).toBe('');
  expect(r.code).toBe(0);
  expect(r.out).toContain('half');
  expect(r.out).not.toMatch(/README|report/);
});

test('one scan alone becomes a mesh, with poses and a report', async () => {
  const out = join(dir, 'one');
  const r = await amberknit(
    'run',
    '--in',
    put('half.ply', halfBall(0)),
    '--out',
    out,
    '--set',
    'texture.map.mapSize=512',
    '--quiet',
  );
  expect(r.err).toBe('');
  expect(r.code).toBe(0);
  const poses = JSON.parse(readFileSync(join(out, 'poses.json'), 'utf8')) as {
    reference: string;
    scans: { name: string; state: string; modelFromScan: number[] }[];
  };
  expect(poses).toMatchObject({ version: 1, units: 'mm', reference: 'half' });
  expect(poses.scans[0]).toMatchObject({ name: 'half', state: 'registered' });
  expect(poses.scans[0].modelFromScan).toHaveLength(16);
  const report = JSON.parse(readFileSync(join(out, 'report.json'), 'utf8')) as {
    steps: { operation: string; figures: Record<string, unknown> }[];
  };
  expect(report.steps.map((s) => s.operation)).toEqual([
    'clean.support',
    'clean.strays',
    'register.automatic',
    'fuse.surface',
    'mend.all',
    'mend.reduce',
    'texture.map',
  ]);
  expect(report.steps[4].figures.watertight).toBe(true);
  expect(readFileSync(join(out, 'mesh.glb')).subarray(0, 4).toString()).toBe('glTF');
});

test('operations and info describe', async () => {
  const list = await amberknit('operations');
  expect(list.out).toMatch(/fuse\.surface\.voxel=0\.6 {2}\[0\.02–50 mm\]/);
  const info = await amberknit('info', put('info.ply', halfBall(1)));
  expect(info.out).toMatch(/"points":6000/);
  expect(info.code).toBe(0);
});

test('operations are applied to a surface from elsewhere; what is no surface is refused', async () => {
  // A cube as a soup without its lid, one of its triangles turned over.
  const corner = (i: number): number[] => [i & 1 ? 20 : 0, i & 2 ? 20 : 0, i & 4 ? 20 : 0];
  const faces = [
    [0, 2, 3],
    [0, 3, 1],
    [0, 1, 5],
    [0, 5, 4],
    [1, 3, 7],
    [1, 7, 5],
    [3, 2, 6],
    [3, 6, 7],
    [2, 0, 4],
    [2, 6, 4],
  ];
  const file = put(
    'box.ply',
    writePly({
      positions: Float32Array.from(faces.flat().flatMap(corner)),
      indices: Uint32Array.from(faces.flat(), (_, i) => i),
    }),
  );
  const out = join(dir, 'applied');
  const r = await amberknit('apply', 'mend.all', 'check.inspect', '--in', file, '--out', out);
  expect(r.code).toBe(0);
  expect(r.err).toContain('1 triangles turned over');
  const report = JSON.parse(readFileSync(join(out, 'report.json'), 'utf8')) as {
    steps: { operation: string; figures: Record<string, number | boolean> }[];
  };
  expect(report.steps[0].figures).toMatchObject({ watertight: true, filledHoles: 1, crossings: 0 });
  expect(report.steps[1].figures.volume).toBeCloseTo(8000, 0);
  expect(readFileSync(join(out, 'mesh.ply')).subarray(0, 3).toString()).toBe('ply');

  const points = await amberknit(
    'apply',
    'mend.all',
    '--in',
    put('points.ply', halfBall(0)),
    '--out',
    join(dir, 'never'),
  );
  expect([points.code, points.err]).toEqual([3, expect.stringMatching(/points without triangles/)]);
  const wrong = await amberknit('apply', 'fuse.surface', '--in', file, '--out', join(dir, 'never'));
  expect([wrong.code, wrong.err]).toEqual([2, expect.stringMatching(/needs .*scans.*not a surface alone/)]);
  expect((await amberknit('apply', 'mend.all', '--in', join(dir, 'missing.ply'), '--out', out)).code).toBe(3);
});

test('a light model with its maps from a surface in a file', async () => {
  const out = join(dir, 'light');
  const file = put('box.off', new TextEncoder().encode(boxOff(0)));
  const set = ['--set', 'texture.bake.triangles=100', '--set', 'texture.bake.mapSize=128'];
  const r = await amberknit('apply', 'texture.bake', '--in', file, '--out', out, ...set);
  expect([r.code, r.err]).toEqual([0, expect.any(String)]);
  expect(readFileSync(join(out, 'light.glb')).subarray(0, 4).toString()).toBe('glTF');
  expect(readFileSync(join(out, 'light.zip')).subarray(0, 2).toString()).toBe('PK');
});

/** A box of 60 × 40 × 20 mm as text, raised by `up`. */
function boxOff(up: number): string {
  const corners = [0, 1, 2, 3, 4, 5, 6, 7].map(
    (c) => `${c & 1 ? 30 : -30} ${c & 2 ? 20 : -20} ${(c & 4 ? 20 : 0) + up}`,
  );
  const faces = ['0 2 3 1', '4 5 7 6', '0 1 5 4', '2 6 7 3', '0 4 6 2', '1 3 7 5'];
  return `OFF\n8 6 0\n${corners.join('\n')}\n${faces.map((f) => `4 ${f}`).join('\n')}\n`;
}

test('a sheet of dimensions is measured on a file; one that can’t be measured ends with 1', async () => {
  const box = put('box.off', boxOff(0));
  const width = {
    name: 'Width',
    note: '',
    kind: 'distance',
    places: [
      [-30, 20, 20],
      [30, 20, 20],
    ],
  };
  const wall = { name: 'Depth', note: '', kind: 'wall', places: [[3, 2, 20]] };
  const good = put('sheet.json', JSON.stringify({ asked: [width, wall] }));
  const r = await amberknit('measure', '--in', box, '--sheet', good, '--out', join(dir, 'measured'), '--quiet');
  expect([r.code, r.out]).toEqual([0, expect.stringContaining('Width: Distance 60.00 mm\nDepth: Wall 20.00 mm')]);
  const kept = JSON.parse(readFileSync(join(dir, 'measured', 'dimensions.json'), 'utf8')) as { found: unknown[] };
  expect(kept.found).toHaveLength(2);
  const gone = put(
    'gone.json',
    JSON.stringify([
      {
        ...width,
        places: [
          [900, 0, 0],
          [0, 0, 20],
        ],
      },
    ]),
  );
  const lost = await amberknit('measure', '--in', box, '--sheet', gone, '--out', join(dir, 'lost'), '--quiet');
  expect([lost.code, lost.out]).toEqual([1, expect.stringContaining('Pick it anew')]);
  const none = await amberknit('measure', '--in', box, '--sheet', put('none.json', '{'), '--out', join(dir, 'never'));
  expect([none.code, none.err]).toEqual([3, expect.stringContaining("can't be read")]);
  expect((await amberknit('measure', '--in', box, '--out', dir)).code).toBe(2);
});

test('a file is placed in another: what clashes ends with 1', async () => {
  const box = put('box.off', boxOff(0));
  const at = (z: number): number[] => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, z, 1];
  const list = (name: string, z: number): string =>
    put(`${name}.json`, JSON.stringify([{ name, note: '', sceneFromPiece: at(z) }]));
  const place = (out: string, ...more: string[]) =>
    amberknit('place', '--in', box, '--into', box, '--out', join(dir, out), '--quiet', ...more);
  const above = await place('above', '--placings', list('Above', 23));
  expect([above.code, above.out]).toEqual([0, expect.stringContaining('Above: clear by 3.00 mm')]);
  const kept = JSON.parse(readFileSync(join(dir, 'above', 'placings.json'), 'utf8')) as { surroundings: string };
  expect(kept.surroundings).toBe('box.off');
  const into = await place('into', '--placings', list('Too low', 18));
  expect([into.code, into.out]).toEqual([1, expect.stringContaining('Too low: clash 2.00 mm deep')]);
  const none = await place('never', '--placings', put('no-list.json', 'null'));
  expect([none.code, none.err]).toEqual([3, expect.stringContaining('no list "asked" of placings')]);
  expect((await place('never')).code).toBe(2);
});

test('a file is compared with another, and written in another format and unit', async () => {
  const box = put('box.off', boxOff(0));
  const raised = put('raised.off', boxOff(0.3));
  const out = join(dir, 'compared');
  const set = ['check.compare.place=as-is', 'check.compare.tolerance=0.1'].flatMap((s) => ['--set', s]);
  const r = await amberknit('compare', '--in', raised, '--reference', box, '--out', out, '--quiet', ...set);
  expect([r.code, r.out]).toEqual([0, expect.stringMatching(/Furthest off: 0.300 mm/)]);
  expect(readFileSync(join(out, 'deviation.ply'), 'latin1')).toContain('property float deviation');
  const inches = join(dir, 'inches');
  const format = ['deliver.export.format=3mf', 'deliver.export.unit=in', 'deliver.export.name=crate'].flatMap((s) => [
    '--set',
    s,
  ]);
  const e = await amberknit('export', '--in', box, '--out', inches, '--quiet', ...format);
  expect([e.code, e.out]).toEqual([0, expect.stringMatching(/Longest side: 60.00 mm/)]);
  const again = await amberknit('export', '--in', join(inches, 'crate.3mf'), '--out', inches, '--quiet');
  expect([again.code, again.out]).toEqual([0, expect.stringMatching(/Longest side: 60.00 mm/)]);
});
