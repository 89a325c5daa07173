import { performance } from 'node:perf_hooks';
import { deltaE76 } from '@amber-knit/core/geometry';
import { invertRigid, multiply, transformPoint } from '@amber-knit/core/math';
import { measureDeviation } from '@amber-knit/core/measure';
import { createRunContext } from '@amber-knit/core/runtime';
import { transformPoints } from '@amber-knit/core/math';
import { findOperation, pieceStats, runOperation, type WorkData } from '@amber-knit/operations';
import { RECIPES } from '@amber-knit/recipes';
import { galleyJug, simulateJugScans } from '@amber-knit/demo';
import { poseErrors } from './registration-trial.js';

/** Runs the standard recipe on the demo piece and compares shape, poses and colours with the truth. */
export async function jugChain(): Promise<void> {
  let t = performance.now();
  const lap = (): string => {
    const s = ((performance.now() - t) / 1000).toFixed(1);
    t = performance.now();
    return `${s} s`;
  };
  const demo = simulateJugScans();
  console.log(`simulated ${demo.scans.reduce((n, s) => n + s.scan.cloud.positions.length / 3, 0)} points in ${lap()}`);
  let referenceName = '';
  let data: Partial<WorkData> = { scans: demo.scans.map((s) => s.scan) };
  const started = performance.now();
  for (const step of RECIPES[0].steps) {
    const operation = findOperation(step.operation);
    const result = await runOperation(
      operation,
      data,
      { ...operation.suggest(pieceStats(data)), ...step.set },
      createRunContext({ seed: 1, onNote: (n) => console.log(`  ${n}`) }),
    );
    data = { ...data, ...result.outputs };
    if (typeof result.figures.reference === 'string') referenceName = result.figures.reference;
    console.log(`${operation.title}: ${operation.summarize(result.figures)} (${lap()})`);
  }
  console.log(
    `whole chain ${((performance.now() - started) / 1000).toFixed(1)} s, peak ${Math.round(process.resourceUsage().maxRSS / 1024)} MB`,
  );
  const placements = data.placements!;
  const truth = demo.scans.map((s) => s.objectFromScan);
  const reference = placements.findIndex((p) => p.name === referenceName);
  const e = poseErrors(
    placements.map((p) => (p.state === 'registered' ? p.pieceFromScan : undefined)),
    truth,
    reference,
    [0, 0, 75],
  );
  console.log(
    `poses ${e.registered}/${truth.length}, worst ${e.worstAngleDeg.toFixed(3)}° ${e.worstShift.toFixed(3)} mm`,
  );
  const objectFromPiece = multiply(truth[reference], invertRigid(placements[reference].pieceFromScan));
  const mesh = data.mesh!;
  const moved = transformPoints(objectFromPiece, mesh.positions).filter((_, i) => !mesh.invented?.[Math.floor(i / 3)]);
  const d = measureDeviation(moved, demo.truth, 5, createRunContext());
  console.log(`measured surface: RMS ${d.rms.toFixed(4)}, 95 % ${d.p95.toFixed(4)}, mean ${d.mean.toFixed(4)} mm`);
  const model = data.model!;
  let sum = 0;
  let n = 0;
  for (let k = 0; k < model.indices.length; k += 3) {
    const ids = [0, 1, 2].map((c) => model.indices[k + c]);
    if (ids.some((v) => model.invented?.[v])) continue;
    const u = [0, 1].map(
      (a) => (model.cornerUvs[2 * k + a] + model.cornerUvs[2 * k + 2 + a] + model.cornerUvs[2 * k + 4 + a]) / 3,
    );
    const x = Math.floor(u[0] * model.texture.width);
    const y = Math.floor((1 - u[1]) * model.texture.height);
    const at = 3 * (y * model.texture.width + x);
    const p = [0, 1, 2].map((a) => ids.reduce((s, v) => s + model.positions[3 * v + a], 0) / 3);
    const o = transformPoint(objectFromPiece, p[0], p[1], p[2]);
    sum += deltaE76(Array.from(model.texture.data.subarray(at, at + 3)), galleyJug.color(o[0], o[1], o[2]));
    n++;
  }
  console.log(`mean ΔE76 ${(sum / n).toFixed(2)} over ${n} triangles`);
}
