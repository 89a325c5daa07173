import {
  placeAlone,
  BitSet,
  loosePlacement,
  pointCount,
  selectPoints,
  sensorPositions,
  type Placement,
  type Scan,
} from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import type { ScanSelection } from '@amber-knit/core/stored';
import { EachScanParams, scanNamed } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { ChoiceParam, TextParam } from './params.js';

export class CleanCutParams extends EachScanParams {
  @ChoiceParam({
    title: 'Selected points',
    help: 'Cut away, or split off into new scans that stay where the points are.',
    choices: { remove: 'Cut away', split: 'Split off' },
  })
  action: 'remove' | 'split' = 'remove';

  @TextParam({ title: 'Name', help: 'Added to the names of scans that are split off.' })
  name = 'part';
}

/** Removes or splits off points that were selected by hand. Nothing is lost: the stored clouds stay as they are. */
export const cleanCut = defineOperation({
  id: OPERATION_IDS.cleanCut,
  version: 1,
  stage: 'clean',
  title: 'Cut selected points',
  help: 'Takes points that were selected in the view out of their scans.',
  byHand: true,
  needs: ['scans', 'file'],
  uses: ['placements'],
  gives: ['scans'],
  params: CleanCutParams,
  // New scans need names that no other has.
  reads: (params) => (params.action === 'split' ? [] : params.only),
  suggest: () => ({}),
  async run({ scans, placements = [], file }, params, ctx) {
    const { decodeSelection } = await import('@amber-knit/core/stored');
    const selection = decodeSelection(file.bytes);
    const taken = new Set(scans.map((s) => s.name));
    const changed = new Map<Scan, Scan>();
    const parts: Scan[] = [];
    const partPlacements: Placement[] = [];
    let points = 0;
    selection.forEach((selected, i) => {
      ctx.checkpoint(i / selection.length, selected.scan);
      const scan = scanNamed(scans, selected.scan);
      const rows = rowsBySelection(scan, selected);
      if (rows.selected.length === 0) return;
      points += rows.selected.length;
      changed.set(scan, { ...scan, cloud: selectPoints(scan.cloud, rows.rest) });
      if (params.action !== 'split') return;
      const part = partOf(scan, rows.selected, freeName(taken, `${scan.name} ${params.name}`));
      parts.push(part);
      const placement = placements.find((p) => p.name === scan.name) ?? loosePlacement(scan.name);
      partPlacements.push({ ...placeAlone(placement), name: part.name });
    });
    if (points === 0) {
      throw new GeometryError('empty-input', 'None of the selected points is there any more. Select again.');
    }
    const left = scans.map((s) => changed.get(s) ?? s);
    const emptied = new Set(left.filter((s) => pointCount(s.cloud) === 0).map((s) => s.name));
    if (emptied.size > 0) ctx.note(`Nothing was left of ${[...emptied].join(', ')}: taken out. Undo brings it back.`);
    const stays = ({ name }: { name: string }): boolean => !emptied.has(name);
    return {
      outputs: {
        scans: [...left.filter(stays), ...parts],
        ...(emptied.size + parts.length > 0 ? { placements: [...placements.filter(stays), ...partPlacements] } : {}),
      },
      figures: { points, scans: changed.size, newScans: parts.length },
    };
  },
  figures: {
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points that were cut away or split off.' },
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans that they were taken from.' },
    newScans: { kind: 'count', rank: 'detail', label: 'New scans', help: 'Scans that were made of them.' },
  },
  summarize: (f) =>
    Number(f.newScans) > 0
      ? `${countText(f.points)} points split off into ${f.newScans} new scans`
      : `${countText(f.points)} points cut away in ${f.scans} scans`,
});

/**
 * Places in the scan's cloud of the selected points and of the rest. Points that were cut away in the meantime count as
 * neither.
 * @throws GeometryError `invalid-parameter` if the selection was made on a cloud that is no longer the scan's
 */
function rowsBySelection(scan: Scan, { base, points }: ScanSelection): { selected: Uint32Array; rest: Uint32Array } {
  const { rows } = scan.cloud;
  if (scan.storedAs !== base || !rows) {
    throw new GeometryError(
      'invalid-parameter',
      `"${scan.name}" has been changed since the points were selected. Nothing was cut; select again.`,
    );
  }
  const inSelection = new BitSet(rows.length);
  for (let i = 0; i < rows.length; i++) if (rows[i] < points.size && points.has(rows[i])) inSelection.add(i);
  return { selected: inSelection.toArray(), rest: BitSet.full(rows.length).difference(inSelection).toArray() };
}

/** Some points of a scan as a scan of its own. Its pictures stay with the scan it comes from. */
function partOf(scan: Scan, points: Uint32Array, name: string): Scan {
  return { name, cloud: selectPoints(scan.cloud, points), storedAs: scan.storedAs, viewpoints: sensorPositions(scan) };
}

function freeName(taken: Set<string>, wanted: string): string {
  let name = wanted;
  for (let k = 2; taken.has(name); k++) name = `${wanted} ${k}`;
  taken.add(name);
  return name;
}
