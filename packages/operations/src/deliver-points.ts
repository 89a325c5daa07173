import { placedScans, pointCount, type PointCloud, type Scan } from '@amber-knit/core/geometry';
import type { Mat4 } from '@amber-knit/core/math';
import { fileBase } from './deliver-export.js';
import { count } from './each-scan.js';
import { defineOperation } from './operation.js';
import { ChoiceParam, TextParam } from './params.js';
import { UNITS, type Unit } from './units.js';

export class DeliverPointsParams {
  @TextParam({ title: 'Name', help: 'Name of the file, without ending.' })
  name = 'points';

  @ChoiceParam({
    title: 'Format',
    help: 'PLY and PCD are binary and exact; E57 keeps the scans apart, each with its name and place, in metres; XYZ is text with four decimals that every program reads.',
    choices: { ply: 'PLY', pcd: 'PCD', e57: 'E57', xyz: 'XYZ text' },
  })
  format: 'ply' | 'pcd' | 'e57' | 'xyz' = 'ply';

  @ChoiceParam({
    title: 'Unit',
    help: 'Unit of the coordinates. E57 is always in metres.',
    choices: { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' },
  })
  unit: Unit = 'mm';
}

export const deliverPoints = defineOperation({
  id: 'deliver.points',
  version: 2,
  stage: 'deliver',
  title: 'Export the points',
  help: 'Writes the measured points of all scans that have their place into one file, as they stand in the piece. Loose scans stay out.',
  needs: ['scans', 'placements'],
  gives: ['file'],
  params: DeliverPointsParams,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  async run({ scans, placements }, params, ctx) {
    const { transformPoints, rotateVectors } = await import('@amber-knit/core/math');
    const { writeE57, writePcd, writePly, writeXyz } = await import('@amber-knit/core/io');
    const placed = placedScans(scans, placements).map((p) => ({ scan: p.scan, pose: p.placement.pieceFromScan }));
    ctx.checkpoint(0.1, 'Joining points');
    const points = placed.reduce((n, { scan }) => n + pointCount(scan.cloud), 0);
    const result = (bytes: Uint8Array, unit: Unit) => {
      const name = `${fileBase(params.name)}.${params.format}`;
      const file = { name, mediaType: 'application/octet-stream', bytes };
      const figures = { file: name, points, scans: placed.length, bytes: bytes.length, unit };
      return { outputs: { file }, figures };
    };
    if (params.format === 'e57') {
      const named = placed.map(({ scan, pose }) => ({ name: scan.name, cloud: scan.cloud, pieceFromScan: pose }));
      return result(writeE57(named), 'm');
    }
    const factor = 1 / UNITS[params.unit];
    const cloud = joined(placed, {
      points: (m, p) => {
        const out = transformPoints(m, p);
        return factor === 1 ? out : out.map((v) => v * factor);
      },
      normals: rotateVectors,
    });
    ctx.checkpoint(0.6, 'Writing');
    const comments = [`unit ${params.unit}`, 'Z up', `${placed.length} scans`];
    const write = { pcd: writePcd, xyz: writeXyz, ply: (c: PointCloud) => writePly({ ...c, comments }) };
    return result(write[params.format](cloud), params.unit);
  },
  summarize: (f) => `${f.file}: ${count(f.points)} points of ${f.scans} scans, in ${f.unit}`,
});

/** All clouds in the piece's frame; normals and colours if every scan has them. */
function joined(
  placed: readonly { scan: Scan; pose: Mat4 }[],
  turn: {
    points: (m: Mat4, p: Float32Array) => Float32Array;
    normals: (m: Mat4, v: Float32Array) => Float32Array;
  },
): PointCloud {
  const total = placed.reduce((n, { scan }) => n + scan.cloud.positions.length, 0);
  const positions = new Float32Array(total);
  const normals = placed.every(({ scan }) => scan.cloud.normals) ? new Float32Array(total) : undefined;
  const colors = placed.every(({ scan }) => scan.cloud.colors) ? new Uint8Array(total) : undefined;
  let at = 0;
  for (const { scan, pose } of placed) {
    positions.set(turn.points(pose, scan.cloud.positions), at);
    normals?.set(turn.normals(pose, scan.cloud.normals!), at);
    colors?.set(scan.cloud.colors!, at);
    at += scan.cloud.positions.length;
  }
  return { positions, normals, colors };
}
