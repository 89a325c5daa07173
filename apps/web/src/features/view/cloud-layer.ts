import * as THREE from 'three';
import { streamArtifact } from './load-artifact';
import { srgbToLinear, type CloudItem, type LayerEvents, type Pick, type ViewLook } from './view-content';

interface LoadedCloud {
  group: THREE.Group;
  bounds: THREE.Box3;
  points: number;
  abort: AbortController;
  color: string;
  faint: boolean;
}

/** The scans as points, streamed page by page. */
export class CloudLayer {
  readonly group = new THREE.Group();
  private readonly clouds = new Map<string, LoadedCloud>();

  constructor(private readonly events: LayerEvents) {}

  /** Shows these scans; what is loaded stays, what is new is fetched unless `behind` a surface. */
  show(items: CloudItem[], behind: boolean): void {
    const wanted = new Set(items.map((c) => c.artifactId));
    for (const [id, cloud] of this.clouds) {
      if (wanted.has(id)) continue;
      cloud.abort.abort();
      this.group.remove(cloud.group);
      cloud.group.children.forEach((p) => (p as THREE.Points).geometry.dispose());
      this.clouds.delete(id);
    }
    for (const item of items) {
      // Behind a surface, points are fetched only once they are asked for.
      const loaded = this.clouds.get(item.artifactId) ?? (behind ? undefined : this.load(item));
      if (!loaded) continue;
      loaded.color = item.color;
      loaded.faint = item.faint;
      loaded.group.matrixAutoUpdate = false;
      loaded.group.matrix.fromArray(item.matrix);
      loaded.group.matrixWorldNeedsUpdate = true;
      loaded.group.visible = item.visible && !behind;
    }
  }

  hide(): void {
    for (const c of this.clouds.values()) c.group.visible = false;
  }

  applyLook({ color }: ViewLook): void {
    for (const cloud of this.clouds.values()) {
      for (const child of cloud.group.children) {
        const points = child as THREE.Points;
        const material = points.material as THREE.PointsMaterial;
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

  /** Points of the visible scans that have arrived. */
  get points(): number {
    let points = 0;
    for (const c of this.clouds.values()) if (c.group.visible) points += c.points;
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
      for (let i = 0; i < Math.min(1500, p.count); i++)
        box.expandByPoint(q.fromBufferAttribute(p, i).applyMatrix4(c.group.matrix));
    }
    return box;
  }

  /** The nearest point within four pixels of the ray; `pixel` is a pixel's size where the view turns. */
  pick(ray: THREE.Raycaster, pixel: number): Pick | undefined {
    ray.params.Points = { threshold: 4 * pixel };
    let nearest: { d: number; point: THREE.Vector3; scanId: string } | undefined;
    for (const cloud of this.clouds.values()) {
      if (!cloud.group.visible) continue;
      for (const hit of ray.intersectObjects(cloud.group.children, false)) {
        if (nearest && hit.distance >= nearest.d) continue;
        const points = hit.object as THREE.Points;
        const point = new THREE.Vector3()
          .fromBufferAttribute(points.geometry.getAttribute('position'), hit.index!)
          .applyMatrix4(cloud.group.matrixWorld);
        nearest = { d: hit.distance, point, scanId: String(cloud.group.userData.scanId) };
      }
    }
    return nearest && { point: nearest.point.toArray(), scanId: nearest.scanId, snapped: true };
  }

  dispose(): void {
    this.clouds.forEach((c) => c.abort.abort());
  }

  private load(item: CloudItem): LoadedCloud {
    const loaded: LoadedCloud = {
      group: new THREE.Group(),
      bounds: new THREE.Box3(),
      points: 0,
      abort: new AbortController(),
      color: item.color,
      faint: item.faint,
    };
    loaded.group.userData.scanId = item.scanId;
    this.clouds.set(item.artifactId, loaded);
    this.group.add(loaded.group);
    const material = new THREE.PointsMaterial({ size: 1, sizeAttenuation: true });
    streamArtifact(
      item.artifactId,
      loaded.abort.signal,
      (header) => {
        const b = header.meta.bounds as { min: number[]; max: number[] };
        loaded.bounds.set(new THREE.Vector3(...b.min), new THREE.Vector3(...b.max));
        const rows = header.tables[0].rows || 1;
        // Large enough that a closed surface looks closed.
        material.size = (1.7 * loaded.bounds.getSize(new THREE.Vector3()).length()) / Math.sqrt(rows);
      },
      (table, _first, rows, columns) => {
        if (table !== 'points') return;
        const geometry = new THREE.BufferGeometry();
        geometry.setAttribute('position', new THREE.BufferAttribute(columns.position, 3));
        if (columns.color)
          geometry.setAttribute('color', new THREE.BufferAttribute(srgbToLinear(columns.color as Uint8Array), 3, true));
        loaded.group.add(new THREE.Points(geometry, material));
        loaded.points += rows;
        if (loaded.points === rows) this.events.extended();
        this.events.changed();
      },
    ).catch((e: Error) => e.name !== 'AbortError' && this.events.failed(e.message));
    return loaded;
  }
}
