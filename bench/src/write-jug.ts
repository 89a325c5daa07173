import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { encodeDepthPng } from '@amber-knit/core/io';
import { encodeColorPng } from '@amber-knit/core/stored';
import { simulateJugScans } from '@amber-knit/demo';

/** node bench/dist/write-jug.js DIR: the demo piece as RGB-D folders (docs/formats.md), with truth.json. */
const dir = process.argv[2];
const unitsPerMm = 100;
const { scans } = simulateJugScans();
mkdirSync(dir, { recursive: true });
for (const { scan } of scans) {
  const folder = join(dir, scan.name.replace(/ /g, '-'));
  for (const sub of ['depth', 'color']) mkdirSync(join(folder, sub), { recursive: true });
  const frames = scan.frames!;
  const { camera } = frames[0];
  writeFileSync(
    join(folder, 'intrinsics.json'),
    JSON.stringify({ ...camera, depthUnitsPerMm: unitsPerMm, color: frames[0].color!.camera }),
  );
  const lines = frames.map((f, i) => {
    const m = f.scanFromSensor;
    // Quaternion of the rotation; turns inside a sweep are small, so w is never near 0.
    const w = Math.sqrt(Math.max(0, 1 + m[0] + m[5] + m[10])) / 2;
    const q = [(m[6] - m[9]) / (4 * w), (m[8] - m[2]) / (4 * w), (m[1] - m[4]) / (4 * w), w];
    return [i, m[12] / 1000, m[13] / 1000, m[14] / 1000, ...q].join(' ');
  });
  writeFileSync(join(folder, 'trajectory.txt'), `# time tx ty tz qx qy qz qw, metres\n${lines.join('\n')}\n`);
  frames.forEach((f, i) => {
    const name = String(i).padStart(3, '0');
    writeFileSync(join(folder, 'depth', `${name}.png`), encodeDepthPng(f.depth, camera, unitsPerMm));
    writeFileSync(join(folder, 'color', `${name}.png`), encodeColorPng(f.color!.image));
  });
}
writeFileSync(
  join(dir, 'truth.json'),
  JSON.stringify(
    scans.map((s) => ({ name: s.scan.name.replace(/ /g, '-'), objectFromSensor: Array.from(s.objectFromScan) })),
  ),
);
