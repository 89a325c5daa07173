import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readPly } from '@amber-knit/core/io';
import { invertRigid, multiply, transformPoints } from '@amber-knit/core/math';
import { measureDeviation } from '@amber-knit/core/measure';
import { inspectTopology } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import { benchObject } from './objects.js';
import { poseErrors } from './registration-trial.js';

/** node bench/dist/evaluate-run.js VIEWS-DIR OUT-DIR OBJECT: compares the output of `amberknit run` with the truth. */
const [views, out, name] = process.argv.slice(2);
const truth = JSON.parse(readFileSync(join(views, 'truth.json'), 'utf8')) as {
  name: string;
  objectFromSensor: number[];
}[];
const poses = JSON.parse(readFileSync(join(out, 'poses.json'), 'utf8')) as {
  reference: string;
  scans: { name: string; state: string; modelFromScan: number[] }[];
};
const found = truth.map((t) => {
  const s = poses.scans.find((x) => x.name === t.name)!;
  return s.state === 'registered'
    ? Float64Array.from({ length: 16 }, (_, i) => s.modelFromScan[(i % 4) * 4 + (i >> 2)])
    : undefined;
});
const reference = truth.findIndex((t) => t.name === poses.reference);
const objectFromModel = multiply(Float64Array.from(truth[reference].objectFromSensor), invertRigid(found[reference]!));
const e = poseErrors(
  found,
  truth.map((t) => Float64Array.from(t.objectFromSensor)),
  reference,
  [0, 0, 75],
);
console.log(
  `poses: ${e.registered}/${truth.length}, worst ${e.worstAngleDeg.toFixed(4)}° ${e.worstShift.toFixed(4)} mm`,
);
const bytes = new Uint8Array(readFileSync(join(out, 'mesh.ply')));
const mesh = readPly(bytes);
const invented = flagColumn(bytes);
console.log('topology', JSON.stringify(inspectTopology({ positions: mesh.positions, indices: mesh.indices! })));
const moved = transformPoints(objectFromModel, mesh.positions);
const measured = moved.filter((_, i) => !invented[Math.floor(i / 3)]);
const object = benchObject(name as 'jug');
const d = measureDeviation(measured, object.mesh, 5, createRunContext());
console.log(
  `measured surface: ${measured.length / 3} vertices, RMS ${d.rms.toFixed(4)}, mean ${d.mean.toFixed(4)}, 95 % ${d.p95.toFixed(4)}, max ${d.max.toFixed(3)} mm`,
);

/** The byte property "invented" of our own binary PLY. */
function flagColumn(data: Uint8Array): Uint8Array {
  const head = new TextDecoder().decode(data.subarray(0, 2000));
  const end = head.indexOf('end_header\n') + 11;
  const props = head.slice(head.indexOf('element vertex'), head.indexOf('element face')).match(/property \w+ \w+/g)!;
  let offset = 0;
  let at = -1;
  for (const p of props) {
    const [, type, n] = p.split(' ');
    if (n === 'invented') at = offset;
    offset += type === 'float' ? 4 : 1;
  }
  const n = Number(/element vertex (\d+)/.exec(head)![1]);
  return Uint8Array.from({ length: n }, (_, i) => (at < 0 ? 0 : data[end + i * offset + at]));
}
