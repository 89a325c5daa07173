import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writePly } from '@amber-knit/core/io';
import { simulateSingleViews } from '@amber-knit/demo';
import { benchObject } from './objects.js';

// node bench/dist/write-views.js DIR jug|bunny|dragon VIEWS SEED: simulated views as PLY files, with truth.json.
const [dir, name, views, seed] = process.argv.slice(2);
mkdirSync(dir, { recursive: true });
const object = benchObject(name as 'jug');
const scans = simulateSingleViews(object.mesh, object.color, { views: Number(views), seed: Number(seed), setups: 2 });
for (const s of scans) writeFileSync(join(dir, `${s.name}.ply`), writePly(s.cloud));
writeFileSync(
  join(dir, 'truth.json'),
  JSON.stringify(scans.map((s) => ({ name: s.name, objectFromSensor: Array.from(s.objectFromSensor) }))),
);
