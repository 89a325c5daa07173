import { triangleCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { count } from './each-scan.js';
import { ChoiceParam, CountParam, LengthParam, RatioParam } from './params.js';

export class MendAllParams {
  @LengthParam({
    title: 'Longest rim',
    min: 0,
    max: 10_000,
    help: 'Holes with a longer rim stay open; empty or 0 fills all holes.',
    whenEmpty: 'all',
  })
  maxRim = 0;

  @ChoiceParam({
    title: 'Shape of fillings',
    help: 'Flat spans the hole like a skin; smooth continues the slope around it.',
    choices: { smooth: 'Smooth', flat: 'Flat' },
  })
  shape: 'smooth' | 'flat' = 'smooth';

  @RatioParam({
    title: 'Least piece',
    min: 0,
    max: 1,
    help: 'Loose pieces with less than this share of the largest piece are dropped; 1 keeps a single piece.',
  })
  fragmentRatio = 0.05;

  @CountParam({
    title: 'Rim evening',
    unit: 'rounds',
    min: 0,
    max: 20,
    help: 'Rounds of trimming ragged rims before holes are filled.',
  })
  evenRounds = 3;
}

export const mendAll = defineOperation({
  id: 'mend.all',
  version: 1,
  stage: 'mend',
  title: 'Mend',
  help: 'Removes faults and loose pieces, evens ragged rims and fills holes. What is filled is marked as invented.',
  needs: ['mesh'],
  gives: ['mesh'],
  params: MendAllParams,
  // What the plan wants closed; what is not to be invented stays open.
  suggest: ({ plan }) => (plan?.maxRim === undefined ? {} : { maxRim: plan.maxRim }),
  async run({ mesh }, params, ctx) {
    const { mendMesh } = await import('@amber-knit/core/mesh');
    const { surfaceArea } = await import('@amber-knit/core/measure');
    const r = mendMesh(mesh, params, ctx);
    return {
      outputs: { mesh: r.mesh },
      figures: {
        watertight: r.report.watertight,
        triangles: triangleCount(r.mesh),
        pieces: r.report.pieces,
        filledHoles: r.filledHoles,
        leftOpen: r.leftOpen,
        nonManifoldEdges: r.report.nonManifoldEdges,
        inventedRatio: r.inventedArea / surfaceArea(r.mesh),
        removedPieces: r.removedPieces,
        repairedTriangles: r.repairedTriangles,
      },
    };
  },
  summarize: (f) =>
    `${f.watertight ? 'Watertight' : `Not watertight, ${f.leftOpen} holes left`}: ${count(f.filledHoles)} holes filled, ${(100 * Number(f.inventedRatio)).toFixed(1)} % of the surface invented`,
});
