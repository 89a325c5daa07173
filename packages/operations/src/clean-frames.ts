import {
  BitSet,
  filterPoints,
  pointCount,
  selectPoints,
  type DepthFrame,
  type PointCloud,
  type Scan,
} from '@amber-knit/core/geometry';
import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import { scanNamed } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { NamesParam, TextParam } from './params.js';

export class CleanFramesParams {
  @TextParam({ title: 'Scan', help: 'The scan whose frames are chosen.' })
  scan = '';

  @NamesParam({ title: 'Dropped frames', help: 'Names of all frames that are left out; the others are used.' })
  dropped: string[] = [];
}

/** Points count as measured by a frame within so many spacings in depth. */
const TOLERANCE = 1;

/** Chooses which frames of a scan are used. The points that only dropped frames saw go; they come back with them. */
export const cleanFrames = defineOperation({
  id: OPERATION_IDS.cleanFrames,
  version: 1,
  stage: 'clean',
  title: 'Choose frames',
  help: 'Leaves frames of a scan out, or takes them in again. Points that no other frame saw go and come with them.',
  byHand: true,
  needs: ['scans'],
  gives: ['scans'],
  params: CleanFramesParams,
  reads: (params) => [params.scan],
  suggest: () => ({}),
  async run({ scans }, params, ctx) {
    const { estimateSpacing } = await import('@amber-knit/core/pointcloud');
    const scan = scanNamed(scans, params.scan);
    const { kept, dropped } = chosenFrames(scan, params.dropped);
    const tolerance = TOLERANCE * estimateSpacing(scan.cloud);
    const cloud = await cloudOfFrames(scan, kept, tolerance, ctx);
    const changed: Scan = { ...scan, cloud, frames: kept, droppedFrames: dropped };
    return {
      outputs: { scans: scans.map((s) => (s === scan ? changed : s)) },
      figures: {
        name: scan.name,
        frames: kept.length,
        dropped: dropped.length,
        points: pointCount(cloud),
        pointsBefore: pointCount(scan.cloud),
      },
    };
  },
  figures: {
    name: { kind: 'text', rank: 'detail', label: 'Name', help: 'What the scan is called.' },
    frames: { kind: 'count', rank: 'headline', label: 'Frames used', help: 'Frames that the scan is made of now.' },
    dropped: {
      kind: 'count',
      rank: 'detail',
      label: 'Frames left out',
      help: 'They stay stored and can be taken in again.',
    },
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points of the scan now.' },
    pointsBefore: { kind: 'count', rank: 'detail', label: 'Points before', help: 'Points of the scan before.' },
  },
  summarize: (f) => {
    const total = Number(f.frames) + Number(f.dropped);
    return `${f.name}: ${f.frames} of ${total} frames used, ${countText(f.points)} points`;
  },
});

/** @throws GeometryError `invalid-parameter` for names that the scan does not have, or if no frame is left */
function chosenFrames(scan: Scan, names: readonly string[]): { kept: DepthFrame[]; dropped: DepthFrame[] } {
  const all = [...(scan.frames ?? []), ...(scan.droppedFrames ?? [])];
  const unknown = names.find((n) => !all.some((f) => f.name === n));
  if (unknown !== undefined)
    throw new GeometryError(
      'invalid-parameter',
      `"${scan.name}" has no frame "${unknown}". It has ${all.length} frames.`,
    );
  const out = new Set(names);
  const kept = all.filter((f) => !out.has(f.name));
  if (kept.length === 0) throw new GeometryError('invalid-parameter', 'At least one frame has to stay.');
  return { kept, dropped: all.filter((f) => out.has(f.name)) };
}

/**
 * The points that are left with other frames: those of the scan that one of them saw, and those of the stored cloud that
 * one of them saw but none of the frames used until now, since these can only have gone with their frames. What was cut
 * away otherwise stays away.
 */
async function cloudOfFrames(
  scan: Scan,
  kept: readonly DepthFrame[],
  tolerance: number,
  ctx: RunContext,
): Promise<PointCloud> {
  const { seenBy } = await import('@amber-knit/core/frames');
  const { cloud, whole } = scan;
  if (!whole || !cloud.rows) {
    const seen = seenBy(cloud.positions, kept, tolerance, ctx);
    return filterPoints(cloud, seen);
  }
  const n = pointCount(whole);
  const has = new Uint8Array(n);
  for (const row of cloud.rows) has[row] = 1;
  const now = seenBy(whole.positions, kept, tolerance, ctx.part(0, 0.5));
  const before = seenBy(whole.positions, scan.frames ?? [], tolerance, ctx.part(0.5, 1));
  const left = new BitSet(n);
  for (let i = 0; i < n; i++) if (now[i] && (has[i] || !before[i])) left.add(i);
  const rows = left.toArray();
  return { ...selectPoints(whole, rows), rows };
}
