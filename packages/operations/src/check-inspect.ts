import { boundsOf } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { count } from './each-scan.js';

export class CheckInspectParams {}

export const checkInspect = defineOperation({
  id: 'check.inspect',
  version: 1,
  stage: 'check',
  title: 'Inspect',
  help: 'Measures size, area and volume of the surface and tells whether it is closed.',
  needs: ['mesh'],
  gives: [],
  params: CheckInspectParams,
  suggest: () => ({}),
  async run({ mesh }, _params, ctx) {
    const { inspectTopology } = await import('@amber-knit/core/mesh');
    const { surfaceArea, enclosedVolume } = await import('@amber-knit/core/measure');
    const report = inspectTopology(mesh);
    ctx.checkpoint(0.6);
    const b = boundsOf(mesh.positions);
    return {
      outputs: {},
      figures: {
        width: b.max[0] - b.min[0],
        depth: b.max[1] - b.min[1],
        height: b.max[2] - b.min[2],
        area: surfaceArea(mesh),
        ...(report.watertight ? { volume: enclosedVolume(mesh) } : {}),
        triangles: report.triangles,
        pieces: report.pieces,
        holes: Number.isFinite(report.holes) ? report.holes : 'not countable',
        nonManifoldEdges: report.nonManifoldEdges,
        watertight: report.watertight,
      },
    };
  },
  summarize: (f) =>
    `${Number(f.width).toFixed(1)} × ${Number(f.depth).toFixed(1)} × ${Number(f.height).toFixed(1)} mm, ${count(f.triangles)} triangles, ${f.watertight ? 'watertight' : 'not watertight'}`,
});
