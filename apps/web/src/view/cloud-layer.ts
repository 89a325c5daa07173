import * as THREE from 'three';
import type { BitSet } from '@amber-knit/core/geometry';
import { loadCut, streamArtifact, type CloudSource } from './load-artifact';
import { pagesToDraw } from './point-budget';
import { colorsByHeight, colorsByLevel, markedPointsMaterial, POINT_MARK, writeMarks } from './marked-points';
import { srgbToLinear, type CloudItem, type LayerEvents, type Pick, type ViewLook } from './view-content';

interface LoadedCloud {
  group: THREE.Group;
  bounds: THREE.Box3;
  source: CloudSource;
  /** Stored points, those of them that arrived, and the part that is held at most. */
  stored: number;
  points: number;
  part: number;
  /** Size of a point with which a closed surface looks closed if all of them are drawn, mm. */
  size: number;
  abort: AbortController;
  color: string;
  faint: boolean;
  /** Part of the stored points that is neither cut nor about to be: counted when that changes, not for every picture. */
  left: number;
  /** What the cut leaves; all points without one. */
  kept?: BitSet;
  /** Selected points, and points about to be cut. */
  selected?: BitSet;
  leaving?: BitSet;
  /** Levels of the colour scale, if points are coloured by what was measured. */
  levels?: Uint8Array;
}

/** Pages looked through for what is under the pointer: an even sample of the scans. */
const PICKED_PAGES = 90;
/** Points of a page. */
const PAGE_POINTS = 16_384;
/** Where only some points are drawn they are larger, but no more than so many times. */
const MOST_ENLARGED = 20;
/** And overlap a little: an even sample is less even than the points of a scanner. */
const OVERLAPPING = 2.4;

/** The scans as points, streamed page by page; cut points are not drawn, selected ones marked. */
export class CloudLayer {
  readonly group = new THREE.Group();
  /** By scan. */
  private readonly clouds = new Map<string, LoadedCloud>();

  /** @param mostHeld points held for drawing at most; the others stay on the server */
  constructor(
    private readonly events: LayerEvents,
    private readonly mostHeld: number,
  ) {}

  /** Shows these scans; what is loaded stays, what is new is fetched unless `behind` a surface. */
  show(items: CloudItem[], behind: boolean): void {
    const all = items.reduce((n, c) => n + c.points, 0);
    const wanted = new Map(items.map((c) => [c.scanId, c.source.base]));
    for (const [id, cloud] of this.clouds) if (wanted.get(id) !== cloud.source.base) this.drop(id);
    for (const item of items) {
      // Behind a surface, points are fetched only once they are asked for.
      const loaded =
        this.clouds.get(item.scanId) ?? (behind ? undefined : this.load(item, Math.min(1, this.mostHeld / all)));
      if (!loaded) continue;
      if (loaded.source.cut !== item.source.cut) this.changeCut(loaded, item.source);
      loaded.color = item.color;
      loaded.faint = item.faint;
      loaded.group.matrixAutoUpdate = false;
      loaded.group.matrix.fromArray(item.matrix);
      loaded.group.matrixWorldNeedsUpdate = true;
      loaded.group.visible = item.visible && !behind;
    }
  }

  /** Marks points of a scan as selected, and as about to go. */
  mark(scanId: string, selected: BitSet | undefined, leaving: BitSet | undefined): void {
    const cloud = this.clouds.get(scanId);
    if (!cloud) return;
    cloud.selected = selected;
    cloud.leaving = leaving;
    this.writeMarks(cloud);
  }

  /** Colours a scan's points by levels of the colour scale; undefined goes back to the usual colours. */
  colorByLevel(scanId: string, levels: Uint8Array | undefined): void {
    const cloud = this.clouds.get(scanId);
    if (!cloud) return;
    cloud.levels = levels;
    for (const child of cloud.group.children) setPageLevels(child as THREE.Points, levels);
    this.events.changed(true);
  }

  hide(): void {
    for (const c of this.clouds.values()) c.group.visible = false;
  }

  applyLook({ color }: ViewLook): void {
    const heights = color === 'height' ? this.heights() : undefined;
    for (const cloud of this.clouds.values()) {
      for (const child of cloud.group.children) {
        const points = child as THREE.Points;
        const material = points.material as THREE.PointsMaterial;
        colorsByHeight(material, heights);
        const useTrue = color === 'true' && points.geometry.hasAttribute('color');
        if (material.vertexColors !== useTrue) {
          material.vertexColors = useTrue;
          material.needsUpdate = true;
        }
        if (material.transparent !== cloud.faint) {
          material.transparent = cloud.faint;
          material.needsUpdate = true;
        }
        material.opacity = cloud.faint ? 0.18 : 1;
        material.depthWrite = !cloud.faint;
        material.color.set(useTrue ? '#ffffff' : color === 'shape' ? '#8d8471' : cloud.color);
      }
    }
  }

  private heights(): readonly [number, number] | undefined {
    const { min, max } = this.box();
    return min.z < max.z ? [min.z, max.z] : undefined;
  }

  /** Points of the visible scans that have arrived; while a cut scan arrives, about so many. */
  get points(): number {
    let points = 0;
    for (const c of this.clouds.values()) {
      if (!c.group.visible) continue;
      points += Math.round(c.left * c.points);
    }
    return points;
  }

  /** Draws points larger by a factor: under a lens, where the picture is but the points are not magnified. */
  scalePoints(factor: number): void {
    for (const { group } of this.clouds.values()) {
      const page = group.children[0] as THREE.Points | undefined;
      if (page) (page.material as THREE.PointsMaterial).size *= factor;
    }
  }

  /** Points of the visible scans that could be drawn, cut ones included. */
  get held(): number {
    let held = 0;
    for (const c of this.clouds.values()) if (c.group.visible) held += c.points;
    return held;
  }

  /** Shows an even sample of the visible scans, at most about `budget` points. @returns how many */
  limit(budget: number): number {
    const shown = [...this.clouds.values()].filter((c) => c.group.visible);
    const pages = pagesToDraw(
      shown.map((c) => c.group.children.length),
      PAGE_POINTS,
      budget,
    );
    let points = 0;
    shown.forEach((cloud, k) => {
      const before = points;
      cloud.group.children.forEach((page, i) => {
        page.visible = i < pages[k];
        if (page.visible) points += (page as THREE.Points).geometry.getAttribute('position').count;
      });
      enlarge(cloud, points - before);
    });
    return points;
  }

  /** True once something of every scan has arrived. */
  get allBegun(): boolean {
    return [...this.clouds.values()].every((c) => c.points > 0);
  }

  box(): THREE.Box3 {
    const box = new THREE.Box3();
    for (const c of this.clouds.values()) {
      if (!c.group.visible || c.bounds.isEmpty()) continue;
      // The first page covers the scan evenly; its points give a tighter box than a turned box would.
      const first = c.group.children[0] as THREE.Points | undefined;
      if (!first) {
        box.union(c.bounds.clone().applyMatrix4(c.group.matrix));
        continue;
      }
      const p = first.geometry.getAttribute('position');
      const q = new THREE.Vector3();
      for (let i = 0, seen = 0; i < p.count && seen < 1500; i++) {
        if (c.kept && !c.kept.has(i)) continue;
        seen++;
        box.expandByPoint(q.fromBufferAttribute(p, i).applyMatrix4(c.group.matrix));
      }
    }
    return box;
  }

  /** The nearest point within four pixels of the ray; `pixel` is a pixel's size where the view turns. */
  pick(ray: THREE.Raycaster, pixel: number, shown: (p: THREE.Vector3) => boolean): Pick | undefined {
    ray.params.Points = { threshold: 4 * pixel };
    let nearest: { d: number; point: THREE.Vector3; scanId: string } | undefined;
    const pages = Math.max(1, Math.floor(PICKED_PAGES / Math.max(1, this.clouds.size)));
    for (const cloud of this.clouds.values()) {
      if (!cloud.group.visible) continue;
      for (const hit of ray.intersectObjects(cloud.group.children.slice(0, pages), false)) {
        if (nearest && hit.distance >= nearest.d) continue;
        const points = hit.object as THREE.Points;
        if (points.geometry.getAttribute('mark').getX(hit.index!) === POINT_MARK.gone) continue;
        const point = new THREE.Vector3()
          .fromBufferAttribute(points.geometry.getAttribute('position'), hit.index!)
          .applyMatrix4(cloud.group.matrixWorld);
        if (shown(point)) nearest = { d: hit.distance, point, scanId: String(cloud.group.userData.scanId) };
      }
    }
    return nearest && { point: nearest.point.toArray(), scanId: nearest.scanId, snapped: true };
  }

  dispose(): void {
    for (const id of [...this.clouds.keys()]) this.drop(id);
  }

  private drop(scanId: string): void {
    const cloud = this.clouds.get(scanId)!;
    cloud.abort.abort();
    this.group.remove(cloud.group);
    cloud.group.children.forEach((p) => (p as THREE.Points).geometry.dispose());
    this.clouds.delete(scanId);
  }

  private load(item: CloudItem, part: number): LoadedCloud {
    const loaded: LoadedCloud = {
      group: new THREE.Group(),
      bounds: new THREE.Box3(),
      source: item.source,
      stored: 0,
      points: 0,
      part,
      size: 1,
      left: 1,
      abort: new AbortController(),
      color: item.color,
      faint: item.faint,
    };
    loaded.group.userData.scanId = item.scanId;
    this.clouds.set(item.scanId, loaded);
    this.group.add(loaded.group);
    this.stream(loaded).catch((e: Error) => e.name !== 'AbortError' && this.events.failed(e.message));
    return loaded;
  }

  private async stream(loaded: LoadedCloud): Promise<void> {
    const { base, cut } = loaded.source;
    const { signal } = loaded.abort;
    if (cut) loaded.kept = await loadCut(cut);
    loaded.left = partLeft(loaded);
    const material = markedPointsMaterial();
    let most = Infinity;
    await streamArtifact(
      base,
      signal,
      (header) => {
        const b = header.meta.bounds as { min: number[]; max: number[] };
        loaded.bounds.set(new THREE.Vector3(...b.min), new THREE.Vector3(...b.max));
        loaded.stored = header.tables[0].rows || 1;
        most = loaded.part * loaded.stored;
        loaded.size = (1.7 * loaded.bounds.getSize(new THREE.Vector3()).length()) / Math.sqrt(loaded.stored);
      },
      (table, first, rows, columns) => {
        if (table !== 'points') return;
        const geometry = new THREE.BufferGeometry();
        geometry.setAttribute('position', new THREE.BufferAttribute(columns.position, 3));
        if (columns.color)
          geometry.setAttribute('color', new THREE.BufferAttribute(srgbToLinear(columns.color as Uint8Array), 3, true));
        geometry.setAttribute('mark', new THREE.BufferAttribute(new Uint8Array(rows), 1));
        geometry.userData.firstRow = first;
        const points = new THREE.Points(geometry, material);
        this.writePageMarks(loaded, points);
        setPageLevels(points, loaded.levels);
        loaded.group.add(points);
        loaded.points += rows;
        if (loaded.points === rows) this.events.extended();
        this.events.changed();
        if (loaded.points >= most) loaded.abort.abort();
      },
    );
  }

  /** Shows another cut of the same stored cloud: only its bits are fetched. */
  private changeCut(cloud: LoadedCloud, source: CloudSource): void {
    cloud.source = source;
    const apply = (kept: BitSet | undefined): void => {
      if (cloud.source !== source) return;
      cloud.kept = kept;
      cloud.leaving = undefined;
      this.writeMarks(cloud);
    };
    if (!source.cut) return apply(undefined);
    loadCut(source.cut).then(apply, (e: Error) => this.events.failed(e.message));
  }

  private writeMarks(cloud: LoadedCloud): void {
    cloud.left = partLeft(cloud);
    for (const child of cloud.group.children) this.writePageMarks(cloud, child as THREE.Points);
    this.events.changed(true);
  }

  private writePageMarks({ kept, selected, leaving }: LoadedCloud, { geometry }: THREE.Points): void {
    const marks = geometry.getAttribute('mark') as THREE.BufferAttribute;
    writeMarks(marks, geometry.userData.firstRow as number, kept, selected, leaving);
  }
}

/** Makes up for points that are not drawn. */
function enlarge({ group, stored, size }: LoadedCloud, drawn: number): void {
  const page = group.children[0] as THREE.Points | undefined;
  if (!page || drawn === 0) return;
  const apart = Math.sqrt(stored / drawn);
  (page.material as THREE.PointsMaterial).size = size * Math.min(MOST_ENLARGED, apart * Math.min(OVERLAPPING, apart));
}

/** Gives a page its part of the levels, one for each stored point. */
function setPageLevels({ geometry, material }: THREE.Points, levels: Uint8Array | undefined): void {
  colorsByLevel(material as THREE.PointsMaterial, levels !== undefined);
  if (!levels) return;
  const first = geometry.userData.firstRow as number;
  const count = geometry.getAttribute('position').count;
  geometry.setAttribute('level', new THREE.BufferAttribute(levels.slice(first, first + count), 1));
}

function partLeft({ kept, leaving }: LoadedCloud): number {
  const size = kept?.size ?? leaving?.size;
  return size ? ((kept?.count() ?? size) - (leaving?.count() ?? 0)) / size : 1;
}
