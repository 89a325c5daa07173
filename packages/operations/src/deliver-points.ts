import {
  hasPlace,
  placedScans,
  pointCount,
  sensorPositions,
  type PointCloud,
  type Scan,
} from '@amber-knit/core/geometry';
import type { Mat4 } from '@amber-knit/core/math';
import { endingOf } from './deliver-export.js';
import { EachScanParams, scanNamed } from './each-scan.js';
import { defineOperation } from './operation.js';
import { bytesText, countText } from './quantity-text.js';
import { ChoiceParam, TextParam } from './params.js';
import { UNITS, type Unit } from './units.js';
import { fileBase } from './write-mesh-file.js';

export class DeliverPointsParams extends EachScanParams {
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
  version: 3,
  stage: 'deliver',
  title: 'Export the points',
  help: 'Writes the measured points of all scans that have their place into one file, as they stand in the piece. Loose scans stay out, unless they are named and E57 keeps them apart.',
  words: 'point cloud e57 pcd xyz save write',
  needs: ['scans'],
  uses: ['placements'],
  gives: ['file'],
  params: DeliverPointsParams,
  reads: (params) => params.only,
  suggest: (stats) => (stats.name ? { name: stats.name } : {}),
  async run({ scans: all, placements = [] }, params, ctx) {
    const chosen = params.only.length === 0 ? all : params.only.map((name) => scanNamed(all, name));
    // Where scans are kept apart, those that were named need no place.
    const loose = params.format === 'e57' && params.only.length > 0;
    const places = new Map(placements.filter(hasPlace).map((p) => [p.name, p.pieceFromScan]));
    const scans: PlacedScan[] = loose
      ? chosen.map((scan) => ({ scan, pose: places.get(scan.name) }))
      : placedScans(chosen, placements).map((p) => ({ scan: p.scan, pose: p.placement.pieceFromScan }));
    ctx.checkpoint(0.1, 'Writing');
    const bytes = await fileOf(scans, params);
    const file = { name: `${fileBase(params.name)}.${params.format}`, mediaType: 'application/octet-stream', bytes };
    return {
      outputs: { file },
      figures: {
        file: file.name,
        points: scans.reduce((n, { scan }) => n + pointCount(scan.cloud), 0),
        scans: scans.length,
        bytes: bytes.length,
        unit: params.format === 'e57' ? 'm' : params.unit,
      },
    };
  },
  figures: {
    file: { kind: 'text', rank: 'headline', label: 'File', help: 'Name of the file.' },
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points of all scans together.' },
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans that were written.' },
    bytes: { kind: 'bytes', rank: 'detail', label: 'Size', help: 'Size of the file.' },
    unit: {
      kind: 'text',
      rank: 'detail',
      label: 'Unit',
      help: 'Unit of lengths in the file. E57 is always in metres, by its standard.',
    },
  },
  summarize: (f) => `${f.file}: ${countText(f.points)} points of ${f.scans} scans, in ${f.unit}`,
  cell: (f) => ({ figure: endingOf(f.file ?? ''), detail: bytesText(f.bytes) }),
});

interface PlacedScan {
  scan: Scan;
  /** pieceFromScan, where it has one. */
  pose?: Mat4;
}

async function fileOf(scans: PlacedScan[], { format, unit }: DeliverPointsParams): Promise<Uint8Array> {
  const { writeE57, writePcd, writePly, writeXyz } = await import('@amber-knit/core/io');
  if (format === 'e57') {
    return writeE57(
      scans.map(({ scan, pose }) => ({
        name: scan.name,
        cloud: scan.cloud,
        pieceFromScan: pose,
        viewpoints: sensorPositions(scan),
      })),
    );
  }
  const { identity, rotateVectors, transformPoints } = await import('@amber-knit/core/math');
  const factor = 1 / UNITS[unit];
  const placed = scans.map(({ scan, pose }) => ({ scan, pose: pose ?? identity() }));
  const cloud = joined(placed, {
    points: (m, p) => {
      const out = transformPoints(m, p);
      return factor === 1 ? out : out.map((v) => v * factor);
    },
    normals: rotateVectors,
  });
  if (format === 'pcd') return writePcd(cloud);
  if (format === 'xyz') return writeXyz(cloud);
  return writePly({ ...cloud, comments: [`unit ${unit}`, 'Z up', `${scans.length} scans`] });
}

/** All clouds in the piece's frame; normals and colours if every scan has them. */
function joined(
  placed: readonly Required<PlacedScan>[],
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
