import { BitSet } from '@amber-knit/core/geometry';
import { transformPoint, type Vec3 } from '@amber-knit/core/math';
import { estimateNormals } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import {
  joinSelections,
  measurePoints,
  measureResiduals,
  selectSlab,
  worstPlaces,
  type SelectableCloud,
  type SelectionJoin,
} from '@amber-knit/core/selection';
import type { ScanSelection } from '@amber-knit/core/stored';
import type { SectionSlab } from '../view/section';
import { choosePoints, selectRange } from './choose-points';
import { pointsThatGo } from './points-that-go';
import { spreadOf } from './measure-spread';
import {
  UNKNOWN_LEVEL,
  type Measure,
  type MeasureSpread,
  type SelectionState,
  type Selector,
} from './selection-messages';

/** A scan on the desk: its points, the stored cloud they are counted in, and whether it is shown. */
export interface DeskScan {
  id: string;
  name: string;
  /** Id of the stored cloud. */
  base: string;
  cloud: SelectableCloud;
  viewpoints: Vec3[];
  visible: boolean;
}

/** What is selected at one moment; sets are never changed, so moments share them. */
type Moment = ReadonlyMap<string, BitSet>;

/** Memory that the remembered moments may take, bytes. */
const MOST_HISTORY = 64e6;
/** Places listed as the worst, and their width as a part of the piece's. */
const WORST_PLACES = 5;
const PLACE_SIZE = 0.05;

/**
 * The selection of a piece's points with its own undo. Only scans that are shown take part; what is selected in others
 * stays. Knows nothing of the page or of threads.
 */
export class SelectionDesk {
  private scans: DeskScan[] = [];
  private now: Moment = new Map();
  private past: Moment[] = [];
  private future: Moment[] = [];
  /** Undefined for those that are kept elsewhere and were not asked for yet. */
  private readonly named = new Map<string, Moment | undefined>();
  private readonly leaving = new Map<string, BitSet>();
  /** Normals of scans that came without, by id of the stored cloud; made when first needed. */
  private readonly normals = new Map<string, Float32Array>();
  /** `top` of the whole's spread: colours and bars end there. */
  private measured?: { measure: Measure; values: Map<string, Float32Array>; top?: number };
  /** The last step, if a further one of its kind takes its place: a threshold being moved. */
  private sliding?: string;

  /** The piece's scans as they stand. A selection made on an earlier version of a scan's points is dropped. */
  setScans(scans: DeskScan[]): void {
    const old = new Map(this.scans.map((s) => [s.id, s]));
    const changed = scans.some((s) => old.get(s.id)?.base !== s.base) || scans.length !== this.scans.length;
    const recut = scans.some((s) => old.get(s.id)?.cloud.present !== s.cloud.present);
    this.scans = scans;
    if (recut || changed) {
      this.measured = undefined;
      this.leaving.clear();
    }
    const stays = (moment: Moment): Moment =>
      new Map(
        scans.flatMap((s) => {
          const set = moment.get(s.id);
          const same = set?.size === s.cloud.present.size && old.get(s.id)?.base === s.base;
          return same ? [[s.id, set.intersection(s.cloud.present)] as const] : [];
        }),
      );
    if (!changed && !recut) return;
    this.now = stays(this.now);
    this.past = this.past.map(stays);
    this.future = this.future.map(stays);
    this.sliding = undefined;
  }

  /** @returns what there is to say, if nothing could be done */
  select(selector: Selector, join: SelectionJoin, slab: SectionSlab | null = null): string | undefined {
    const shown = this.scans.filter((s) => s.visible);
    if (selector.kind === 'normal') shown.forEach((s) => this.makeNormals(s));
    const clouds = inSlab(
      shown.map((s) => this.presentCloud(s)),
      slab,
    );
    const standing = this.slidesOn(selector, join) ? (this.past.pop() ?? this.now) : this.now;
    const of = (s: DeskScan): BitSet => standing.get(s.id) ?? new BitSet(s.cloud.present.size);
    const made = this.choose(selector, shown, clouds, shown.map(of));
    if (typeof made === 'string') return made;
    const whole = ['none', 'invert', 'grow', 'shrink'].includes(selector.kind);
    const next = new Map(standing);
    shown.forEach((s, k) => next.set(s.id, whole ? made[k] : joinSelections(of(s), made[k], join)));
    this.past.push(standing);
    this.forgetOldest();
    this.now = next;
    this.future = [];
    this.sliding = selector.kind === 'measure' ? `${selector.measure} ${join}` : undefined;
    return undefined;
  }

  /** @returns false if there is nothing to take back */
  undo(): boolean {
    return this.step(this.past, this.future);
  }

  redo(): boolean {
    return this.step(this.future, this.past);
  }

  /** Remembers what is selected now, in hidden scans as well. @returns it, to be kept */
  remember(name: string): ScanSelection[] {
    this.named.set(name, this.now);
    return this.packedOf(this.scans);
  }

  /** Names of selections that are kept elsewhere. */
  hear(names: readonly string[]): void {
    for (const name of names) if (!this.named.has(name)) this.named.set(name, undefined);
  }

  /** True if a selection of that name is kept elsewhere, and has to be learnt before it can be used. */
  asksFor(name: string): boolean {
    return this.named.has(name) && !this.named.get(name);
  }

  /** Takes what was kept elsewhere; points of stored clouds that are no longer here are left out. */
  learn(name: string, selection: readonly ScanSelection[]): void {
    const found = this.scans.flatMap((s) => {
      const kept = selection.find((k) => k.base === s.base && k.points.size === s.cloud.present.size);
      return kept ? [[s.id, kept.points] as const] : [];
    });
    this.named.set(name, new Map(found));
  }

  forget(name: string): void {
    this.named.delete(name);
  }

  /** What an operation would leave out of the scans that are shown, to be selected as `found`. @throws Error in words */
  async found(
    operationId: string,
    params: object,
    onProgress: (fraction: number) => void,
  ): Promise<Extract<Selector, { kind: 'found' }>> {
    const { only = [] } = params as { only?: string[] };
    const shown = this.scans.filter((s) => s.visible && (only.length === 0 || only.includes(s.name)));
    if (shown.length === 0) throw new Error('None of the scans that are meant is shown. Show them first.');
    const judged = shown.map((s) => ({ name: s.name, cloud: this.presentCloud(s), viewpoints: s.viewpoints }));
    const gone = await pointsThatGo(operationId, { ...params, only: [] }, judged, onProgress);
    return { kind: 'found', points: new Map(shown.map((s, k) => [s.id, gone[k]])) };
  }

  /**
   * Measures the points shown; a selector of kind `measure` then chooses by it.
   * @param slab only points in it count in the spread
   */
  measure(measure: Measure, slab: SectionSlab | null, onProgress: (fraction: number) => void): MeasureSpread {
    const shown = this.scans.filter((s) => s.visible);
    const ctx = createRunContext({ onProgress });
    if (measure === 'angle' || measure === 'residual' || measure === 'noise') shown.forEach((s) => this.makeNormals(s));
    const clouds = shown.map((s) => this.presentCloud(s));
    const values =
      measure === 'residual'
        ? measureResiduals(clouds, ctx)
        : clouds.map((c, i) =>
            measurePoints(c, shown[i].viewpoints, measure, ctx.part(i / shown.length, (i + 1) / shown.length)),
          );
    this.measured = { measure, values: new Map(shown.map((s, k) => [s.id, values[k]])) };
    this.sliding = undefined;
    const whole = this.spreadWithin(null)!;
    this.measured.top = whole.edges.at(-1);
    return slab ? this.spreadWithin(slab)! : whole;
  }

  /** How what was measured last is spread over the points shown, or those of them in a slab; undefined without a measure. */
  spreadWithin(slab: SectionSlab | null): MeasureSpread | undefined {
    if (!this.measured) return undefined;
    const { measure, values, top } = this.measured;
    const shown = this.scans.filter((s) => s.visible && values.has(s.id));
    const clouds = inSlab(
      shown.map((s) => this.presentCloud(s)),
      slab,
    );
    const counted = clouds.map(({ present }, k) => {
      const own = values.get(shown[k].id)!;
      return slab ? own.map((v, i) => (present.has(i) ? v : NaN)) : own;
    });
    const spread = spreadOf(
      measure,
      counted,
      clouds.map((c) => c.present),
      top,
    );
    const { box } = this.state();
    const size = box ? Math.hypot(...box.max.map((v, k) => v - box.min[k])) : 100;
    if (measure === 'residual') spread.worst = worstPlaces(clouds, counted, PLACE_SIZE * size, WORST_PLACES);
    return { ...spread, inSection: slab !== null };
  }

  /** The measured values of a scan as levels of a colour scale. */
  levelsOf(scanId: string): Uint8Array | undefined {
    if (!this.measured) return undefined;
    const { values, top } = this.measured;
    const factor = (UNKNOWN_LEVEL - 1) / (top || 1);
    const own = values.get(scanId);
    return (
      own && Uint8Array.from(own, (v) => (Number.isNaN(v) ? UNKNOWN_LEVEL : Math.min(UNKNOWN_LEVEL - 1, v * factor)))
    );
  }

  /** The selected points of the scans that are shown. */
  packed(): ScanSelection[] {
    return this.packedOf(this.scans.filter((s) => s.visible));
  }

  private packedOf(scans: readonly DeskScan[]): ScanSelection[] {
    return scans.flatMap((s) => {
      const points = this.now.get(s.id);
      return points && points.count() > 0 ? [{ scan: s.name, base: s.base, points }] : [];
    });
  }

  /** Takes the selected points away from view, as a cut under way will. */
  leave(): void {
    const rest = new Map(this.now);
    for (const { id, visible } of this.scans) {
      const set = this.now.get(id);
      if (!visible || !set) continue;
      this.leaving.set(id, this.leaving.get(id)?.union(set) ?? set);
      rest.delete(id);
    }
    this.now = rest;
    this.past = [];
    this.future = [];
    this.measured = undefined;
  }

  /** Brings back what a cut would have taken away. */
  restore(): void {
    this.leaving.clear();
  }

  /** The scans with their numbers of stored points. */
  sizes(): { id: string; size: number }[] {
    return this.scans.map((s) => ({ id: s.id, size: s.cloud.present.size }));
  }

  marksOf(scanId: string): { selected?: BitSet; leaving?: BitSet } {
    return { selected: this.now.get(scanId), leaving: this.leaving.get(scanId) };
  }

  state(): SelectionState {
    const counts: Record<string, number> = {};
    let total = 0;
    for (const { id, visible } of this.scans) {
      const n = visible ? (this.now.get(id)?.count() ?? 0) : 0;
      if (n > 0) counts[id] = n;
      total += n;
    }
    return {
      counts,
      total,
      canUndo: this.past.length > 0,
      canRedo: this.future.length > 0,
      names: [...this.named.keys()],
      box: this.boxOfShown(),
      spacing: Math.max(0, ...this.scans.filter((s) => s.visible).map((s) => s.cloud.spacing)),
    };
  }

  private choose(
    selector: Selector,
    shown: DeskScan[],
    clouds: SelectableCloud[],
    standing: BitSet[],
  ): BitSet[] | string {
    if (selector.kind === 'measure') {
      if (this.measured?.measure !== selector.measure) return 'The points have changed; measure them again.';
      const { values } = this.measured;
      return shown.map((s, k) => selectRange(clouds[k], values.get(s.id), selector.from, selector.to));
    }
    if (selector.kind === 'found')
      return shown.map((s) => selector.points.get(s.id) ?? new BitSet(s.cloud.present.size));
    if (selector.kind === 'named') {
      const moment = this.named.get(selector.name);
      if (!moment) return `There is no selection "${selector.name}".`;
      return clouds.map(({ present }, k) => {
        const set = moment.get(shown[k].id);
        return set?.size === present.size ? set.intersection(present) : new BitSet(present.size);
      });
    }
    return choosePoints(selector, clouds, standing);
  }

  /** A scan's cloud without what is about to be cut, with the normals that were made for it. */
  private presentCloud({ id, base, cloud }: DeskScan): SelectableCloud {
    const gone = this.leaving.get(id);
    const normals = cloud.normals ?? this.normals.get(base);
    return { ...cloud, normals, present: gone ? cloud.present.difference(gone) : cloud.present };
  }

  /** Estimates a scan's normals if it has none and it is known from where it was seen: else they have no side. */
  private makeNormals({ base, cloud, viewpoints }: DeskScan): void {
    if (cloud.normals || this.normals.has(base) || viewpoints.length === 0) return;
    const { normals } = estimateNormals(cloud, viewpoints, { radius: 3.5 * cloud.spacing }, createRunContext());
    this.normals.set(base, normals);
  }

  private slidesOn(selector: Selector, join: SelectionJoin): boolean {
    return selector.kind === 'measure' && this.sliding === `${selector.measure} ${join}`;
  }

  private step(from: Moment[], to: Moment[]): boolean {
    const moment = from.pop();
    if (!moment) return false;
    to.push(this.now);
    this.now = moment;
    this.sliding = undefined;
    return true;
  }

  private forgetOldest(): void {
    const bytes = this.scans.reduce((n, s) => n + s.cloud.present.bytes.length, 0);
    const most = Math.max(10, Math.floor(MOST_HISTORY / Math.max(1, bytes)));
    if (this.past.length > most) this.past.shift();
  }

  private boxOfShown(): SelectionState['box'] {
    const min = [Infinity, Infinity, Infinity];
    const max = [-Infinity, -Infinity, -Infinity];
    for (const { cloud, visible } of this.scans) {
      if (!visible) continue;
      // The first points are an even sample of all.
      for (let i = 0; i < Math.min(3000, cloud.present.size); i++) {
        if (!cloud.present.has(i)) continue;
        const p = cloud.positions;
        transformPoint(cloud.viewFromScan, p[3 * i], p[3 * i + 1], p[3 * i + 2]).forEach((v, k) => {
          min[k] = Math.min(min[k], v);
          max[k] = Math.max(max[k], v);
        });
      }
    }
    return min[0] <= max[0] ? { min, max } : null;
  }
}

/** The clouds with only the points that lie in a slab. */
function inSlab(clouds: SelectableCloud[], slab: SectionSlab | null): SelectableCloud[] {
  if (!slab) return clouds;
  const inside = selectSlab(clouds, [0, 0, 0], slab.normal, slab.from, slab.to);
  return clouds.map((c, k) => ({ ...c, present: inside[k] }));
}
