import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import { MeshBVH, acceleratedRaycast } from 'three-mesh-bvh';
import type { ColorMode } from '../../app/view-slice';
import { isSoftwareRendering } from './graphics';
import { streamArtifact } from './load-artifact';

/** One scan to show as points. */
export interface CloudItem {
  scanId: string;
  artifactId: string;
  color: string;
  /** Column-major 4×4: view from scan. */
  matrix: number[];
  visible: boolean;
}

export interface ViewContent {
  clouds: CloudItem[];
  /** Artifact of a mesh or a textured model, shown instead of the clouds. */
  surface?: string;
}

export interface ViewLook {
  color: ColorMode;
  lit: boolean;
  wireframe: boolean;
}

/** What lies under the pointer. */
export interface Pick {
  point: [number, number, number];
  /** Scan of the point, or undefined on a surface. */
  scanId?: string;
  /** True if the point is a vertex of the mesh or a measured point. */
  snapped: boolean;
  invented?: boolean;
}

export const STANDARD_VIEWS = {
  front: [0, -1, 0],
  back: [0, 1, 0],
  left: [-1, 0, 0],
  right: [1, 0, 0],
  top: [0, 0, 1],
  below: [0, 0, -1],
} as const;
/** Colours of measured and of invented surface. */
export const SURFACE_TINTS = { measured: '#b7cfcf', invented: '#e59b62' };
export type StandardView = keyof typeof STANDARD_VIEWS;

interface LoadedCloud {
  group: THREE.Group;
  bounds: THREE.Box3;
  points: number;
  abort: AbortController;
  color: string;
}

interface LoadedSurface {
  artifactId: string;
  mesh: THREE.Mesh;
  positions: Float32Array;
  indices: Uint32Array;
  invented?: Uint8Array;
  hasColors: boolean;
  map?: THREE.Texture;
  bounds: THREE.Box3;
  abort: AbortController;
  bvh?: MeshBVH;
}

/**
 * The 3D view: streams clouds and surfaces, draws only when something changed, picks points. Millimetres, Z up.
 */
export class ViewEngine {
  onCount?: (points: number, triangles: number) => void;
  onError?: (message: string) => void;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(35, 1, 1, 10000);
  private readonly controls: OrbitControls;
  private readonly headlight = new THREE.DirectionalLight(0xffffff, 1.7);
  private readonly clouds = new Map<string, LoadedCloud>();
  private readonly marks = new THREE.Group();
  private surface?: LoadedSurface;
  private loadingSurface?: { artifactId: string; abort: AbortController };
  private look: ViewLook = { color: 'true', lit: true, wireframe: false };
  private frame = 0;
  private fitted = false;
  private readonly resize: ResizeObserver;

  constructor(private readonly canvas: HTMLCanvasElement) {
    // Software rendering pays three to four times for smoothing.
    this.renderer = new THREE.WebGLRenderer({ canvas, alpha: true, antialias: !isSoftwareRendering() });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.camera.up.set(0, 0, 1);
    this.camera.position.set(250, -350, 200);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener('change', () => this.draw());
    this.scene.add(new THREE.HemisphereLight(0xffffff, 0xb9ad98, 1.5), this.headlight, this.marks);
    this.resize = new ResizeObserver(() => this.fitCanvas());
    this.resize.observe(canvas.parentElement ?? canvas);
    this.fitCanvas();
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    this.resize.disconnect();
    this.loadingSurface?.abort.abort();
    this.clouds.forEach((c) => c.abort.abort());
    this.controls.dispose();
    this.renderer.dispose();
  }

  /** Draws once, at the next frame. */
  draw(): void {
    if (this.frame) return;
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.headlight.position.copy(this.camera.position);
      this.renderer.render(this.scene, this.camera);
    });
  }

  /** Shows this content; what is already loaded stays, the rest is streamed in. */
  show(content: ViewContent): void {
    const wanted = new Map(content.clouds.map((c) => [c.artifactId, c]));
    for (const [id, cloud] of this.clouds) {
      if (wanted.has(id)) continue;
      cloud.abort.abort();
      this.scene.remove(cloud.group);
      cloud.group.children.forEach((p) => (p as THREE.Points).geometry.dispose());
      this.clouds.delete(id);
    }
    for (const item of content.clouds) {
      // Behind a surface, points are fetched only once they are asked for.
      const loaded = this.clouds.get(item.artifactId) ?? (content.surface ? undefined : this.loadCloud(item));
      if (!loaded) continue;
      loaded.color = item.color;
      loaded.group.matrixAutoUpdate = false;
      loaded.group.matrix.fromArray(item.matrix);
      loaded.group.matrixWorldNeedsUpdate = true;
      loaded.group.visible = item.visible && !content.surface;
    }
    if (!content.surface) {
      this.loadingSurface?.abort.abort();
      this.loadingSurface = undefined;
      if (this.surface) this.removeSurface();
    } else if (this.surface?.artifactId !== content.surface && this.loadingSurface?.artifactId !== content.surface) {
      void this.loadSurface(content.surface);
    }
    this.applyLook();
    this.count();
    this.draw();
  }

  setLook(look: ViewLook): void {
    this.look = look;
    this.applyLook();
    this.draw();
  }

  /** Looks at everything shown, from a standard direction if one is named. */
  fit(view?: StandardView): void {
    const box = this.contentBox();
    if (box.isEmpty()) return;
    const centre = box.getCenter(new THREE.Vector3());
    const radius = box.getSize(new THREE.Vector3()).length() / 2 || 100;
    const direction = view
      ? new THREE.Vector3(...STANDARD_VIEWS[view])
      : this.camera.position.clone().sub(this.controls.target);
    if (view === 'top' || view === 'below') direction.y -= 0.001;
    const angle = Math.min(this.camera.fov, this.camera.fov * this.camera.aspect) / 2;
    const distance = (0.93 * radius) / Math.sin((angle * Math.PI) / 180);
    this.camera.position.copy(centre).addScaledVector(direction.normalize(), distance);
    this.camera.near = distance / 100;
    this.camera.far = distance * 20;
    this.camera.updateProjectionMatrix();
    this.controls.target.copy(centre);
    this.controls.update();
    this.draw();
  }

  /** Turns, moves or zooms by a key. @returns true if the key means something here */
  key(key: string, shift: boolean): boolean {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const s = new THREE.Spherical().setFromVector3(new THREE.Vector3(offset.x, offset.z, -offset.y));
    const step = 0.12;
    const pan = offset.length() * 0.05;
    const right = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 0);
    const up = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 1);
    if (key === '+' || key === '=') s.radius /= 1.15;
    else if (key === '-') s.radius *= 1.15;
    else if (key.startsWith('Arrow')) {
      const dx = key === 'ArrowLeft' ? -1 : key === 'ArrowRight' ? 1 : 0;
      const dy = key === 'ArrowUp' ? 1 : key === 'ArrowDown' ? -1 : 0;
      if (shift) {
        const move = right.multiplyScalar(-dx * pan).addScaledVector(up, -dy * pan);
        this.controls.target.add(move);
      } else {
        s.theta += dx * step;
        s.phi = Math.max(0.02, Math.min(Math.PI - 0.02, s.phi - dy * step));
      }
    } else return false;
    const v = new THREE.Vector3().setFromSpherical(s);
    this.camera.position.copy(this.controls.target).add(new THREE.Vector3(v.x, -v.z, v.y));
    this.controls.update();
    this.draw();
    return true;
  }

  /** Closest surface or point under a pointer position; snaps to a vertex within 10 pixels. */
  pick(clientX: number, clientY: number): Pick | undefined {
    const rect = this.canvas.getBoundingClientRect();
    const pointer = new THREE.Vector2(
      ((clientX - rect.left) / rect.width) * 2 - 1,
      1 - ((clientY - rect.top) / rect.height) * 2,
    );
    const ray = new THREE.Raycaster();
    ray.setFromCamera(pointer, this.camera);
    ray.firstHitOnly = true;
    const pixel =
      (2 * Math.tan((this.camera.fov * Math.PI) / 360) * this.camera.position.distanceTo(this.controls.target)) /
      rect.height;
    if (this.surface) {
      const s = this.surface;
      if (!s.bvh) {
        s.bvh = new MeshBVH(s.mesh.geometry, { indirect: true });
        s.mesh.geometry.boundsTree = s.bvh;
        s.mesh.raycast = acceleratedRaycast;
      }
      const hit = ray.intersectObject(s.mesh, false)[0];
      if (!hit?.face) return undefined;
      const corners = [hit.face.a, hit.face.b, hit.face.c];
      const p = s.mesh.geometry.getAttribute('position');
      let best = 10 * pixel;
      let snapped: THREE.Vector3 | undefined;
      for (const v of corners) {
        const q = new THREE.Vector3().fromBufferAttribute(p, v);
        const d = q.distanceTo(hit.point);
        if (d < best) {
          best = d;
          snapped = q;
        }
      }
      const at = snapped ?? hit.point;
      const invented = s.mesh.geometry.getAttribute('invented');
      return {
        point: [at.x, at.y, at.z],
        snapped: Boolean(snapped),
        invented: invented ? corners.some((v) => invented.getX(v) > 0) : undefined,
      };
    }
    ray.params.Points = { threshold: 4 * pixel };
    let nearest: { d: number; point: THREE.Vector3; scanId: string } | undefined;
    for (const cloud of this.clouds.values()) {
      if (!cloud.group.visible) continue;
      for (const hit of ray.intersectObjects(cloud.group.children, false)) {
        if (!nearest || hit.distance < nearest.d) {
          const points = hit.object as THREE.Points;
          const point = new THREE.Vector3()
            .fromBufferAttribute(points.geometry.getAttribute('position'), hit.index!)
            .applyMatrix4(cloud.group.matrixWorld);
          nearest = { d: hit.distance, point, scanId: String(cloud.group.userData.scanId) };
        }
      }
    }
    return (
      nearest && { point: [nearest.point.x, nearest.point.y, nearest.point.z], scanId: nearest.scanId, snapped: true }
    );
  }

  /** Marks picked points and the line between them. */
  mark(points: [number, number, number][]): void {
    this.marks.clear();
    const size = this.contentBox().getSize(new THREE.Vector3()).length() / 180 || 1;
    for (const p of points) {
      const ball = new THREE.Mesh(
        new THREE.SphereGeometry(size, 16, 12),
        new THREE.MeshBasicMaterial({ color: 0x0e5a5f, depthTest: false }),
      );
      ball.position.set(...p);
      ball.renderOrder = 2;
      this.marks.add(ball);
    }
    if (points.length === 2) {
      const line = new THREE.Line(
        new THREE.BufferGeometry().setFromPoints(points.map((p) => new THREE.Vector3(...p))),
        new THREE.LineBasicMaterial({ color: 0x0e5a5f, depthTest: false }),
      );
      line.renderOrder = 2;
      this.marks.add(line);
    }
    this.draw();
  }

  private fitCanvas(): void {
    const host = this.canvas.parentElement ?? this.canvas;
    const { clientWidth: w, clientHeight: h } = host;
    if (w === 0 || h === 0) return;
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  private contentBox(): THREE.Box3 {
    if (this.surface) return this.surface.bounds.clone();
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

  private count(): void {
    let points = 0;
    for (const c of this.clouds.values()) if (c.group.visible) points += c.points;
    this.onCount?.(points, this.surface ? this.surface.indices.length / 3 : 0);
  }

  private loadCloud(item: CloudItem): LoadedCloud {
    const loaded: LoadedCloud = {
      group: new THREE.Group(),
      bounds: new THREE.Box3(),
      points: 0,
      abort: new AbortController(),
      color: item.color,
    };
    loaded.group.userData.scanId = item.scanId;
    this.clouds.set(item.artifactId, loaded);
    this.scene.add(loaded.group);
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
        if (loaded.points === rows) this.fitFirst();
        this.applyLook();
        this.count();
        this.draw();
      },
    ).catch((e: Error) => e.name !== 'AbortError' && this.onError?.(e.message));
    return loaded;
  }

  /** Fits as extents become known, until all are. */
  private fitFirst(): void {
    if (this.fitted) return;
    this.fitted = [...this.clouds.values()].every((c) => c.points > 0);
    queueMicrotask(() => this.fit());
  }

  private async loadSurface(artifactId: string): Promise<void> {
    this.loadingSurface?.abort.abort();
    const abort = new AbortController();
    this.loadingSurface = { artifactId, abort };
    const parts: {
      positions?: Float32Array;
      normals?: Float32Array;
      colors?: Uint8Array;
      invented?: Uint8Array;
      indices?: Uint32Array;
      uvs?: Float32Array;
      png?: Uint8Array;
      coarse?: Uint32Array;
    } = {};
    const put = <A extends Float32Array | Uint8Array | Uint32Array>(target: A, at: number, data: unknown): void =>
      target.set(data as A, at);
    let bounds = new THREE.Box3();
    let vertexRows = 0;
    let loadedRows = 0;
    try {
      await streamArtifact(
        artifactId,
        abort.signal,
        (header) => {
          const b = header.meta.bounds as { min: number[]; max: number[] };
          bounds = new THREE.Box3(new THREE.Vector3(...b.min), new THREE.Vector3(...b.max));
          for (const t of header.tables) {
            if (t.name === 'vertices') {
              vertexRows = t.rows;
              parts.positions = new Float32Array(3 * t.rows);
              for (const c of t.columns) {
                if (c.name === 'color') parts.colors = new Uint8Array(3 * t.rows);
                if (c.name === 'invented') parts.invented = new Uint8Array(t.rows);
                if (c.name === 'normal') parts.normals = new Float32Array(3 * t.rows);
              }
            } else if (t.name === 'coarse') parts.coarse = new Uint32Array(3 * t.rows);
            else if (t.name === 'faces') {
              parts.indices = new Uint32Array(3 * t.rows);
              if (t.columns.some((c) => c.name === 'uv')) parts.uvs = new Float32Array(6 * t.rows);
            }
          }
        },
        (table, first, rows, columns) => {
          if (table === 'vertices') {
            put(parts.positions!, 3 * first, columns.position);
            if (parts.colors) put(parts.colors, 3 * first, columns.color);
            if (parts.invented) put(parts.invented, first, columns.invented);
            if (parts.normals) put(parts.normals, 3 * first, columns.normal);
            loadedRows += rows;
          } else if (table === 'coarse') {
            put(parts.coarse!, 3 * first, columns.index);
            if (first + rows === parts.coarse!.length / 3 && loadedRows === vertexRows)
              this.setSurface(artifactId, { ...parts, indices: parts.coarse! } as never, bounds, abort);
          } else if (table === 'faces') {
            put(parts.indices!, 3 * first, columns.index);
            if (parts.uvs) put(parts.uvs, 6 * first, columns.uv);
          } else if (table === 'texture') parts.png = columns.png as Uint8Array;
        },
      );
      if (abort.signal.aborted) return;
      let map: THREE.Texture | undefined;
      if (parts.png && parts.uvs) {
        const bitmap = await createImageBitmap(
          new Blob([parts.png as Uint8Array<ArrayBuffer>], { type: 'image/png' }),
          { imageOrientation: 'flipY' },
        );
        map = new THREE.Texture(bitmap);
        map.flipY = false;
        map.colorSpace = THREE.SRGBColorSpace;
        map.needsUpdate = true;
      }
      if (!abort.signal.aborted) this.setSurface(artifactId, parts as never, bounds, abort, map);
    } catch (e) {
      if ((e as Error).name !== 'AbortError') this.onError?.((e as Error).message);
    } finally {
      if (this.loadingSurface?.abort === abort) this.loadingSurface = undefined;
    }
  }

  private setSurface(
    artifactId: string,
    parts: {
      positions: Float32Array;
      normals?: Float32Array;
      colors?: Uint8Array;
      invented?: Uint8Array;
      indices: Uint32Array;
      uvs?: Float32Array;
    },
    bounds: THREE.Box3,
    abort: AbortController,
    map?: THREE.Texture,
  ): void {
    const first = !this.surface;
    if (this.surface) this.removeSurface();
    let geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.BufferAttribute(parts.positions, 3));
    if (parts.colors) geometry.setAttribute('color', new THREE.BufferAttribute(srgbToLinear(parts.colors), 3, true));
    if (parts.invented) geometry.setAttribute('invented', new THREE.BufferAttribute(parts.invented, 1));
    geometry.setIndex(new THREE.BufferAttribute(parts.indices, 1));
    if (parts.normals) geometry.setAttribute('normal', new THREE.BufferAttribute(parts.normals, 3));
    else geometry.computeVertexNormals();
    if (map && parts.uvs) {
      // Map coordinates belong to corners: give every corner its own vertex.
      geometry = geometry.toNonIndexed();
      geometry.setAttribute('uv', new THREE.BufferAttribute(parts.uvs, 2));
    }
    const mesh = new THREE.Mesh(geometry);
    this.scene.add(mesh);
    this.surface = {
      artifactId,
      mesh,
      positions: parts.positions,
      indices: parts.indices,
      invented: parts.invented,
      hasColors: Boolean(parts.colors),
      map,
      bounds,
      abort,
    };
    this.clouds.forEach((c) => (c.group.visible = false));
    this.applyLook();
    this.count();
    if (first) this.fit();
    this.draw();
  }

  private removeSurface(): void {
    const s = this.surface!;
    this.scene.remove(s.mesh);
    s.mesh.geometry.dispose();
    (s.mesh.material as THREE.Material).dispose();
    s.map?.dispose();
    this.surface = undefined;
  }

  private applyLook(): void {
    const { color, lit, wireframe } = this.look;
    for (const cloud of this.clouds.values()) {
      for (const child of cloud.group.children) {
        const points = child as THREE.Points;
        const material = points.material as THREE.PointsMaterial;
        const useTrue = color === 'true' && points.geometry.hasAttribute('color');
        if (material.vertexColors !== useTrue) {
          material.vertexColors = useTrue;
          material.needsUpdate = true;
        }
        material.color.set(useTrue ? '#ffffff' : color === 'shape' ? '#8d8471' : cloud.color);
      }
    }
    const s = this.surface;
    if (!s) return;
    (s.mesh.material as THREE.Material).dispose();
    const options: THREE.MeshStandardMaterialParameters & THREE.MeshBasicMaterialParameters = {
      side: THREE.DoubleSide,
      wireframe,
    };
    const geometry = s.mesh.geometry;
    if (color === 'invented' && geometry.hasAttribute('invented')) {
      const flags = geometry.getAttribute('invented');
      const tint = new Uint8Array(3 * flags.count);
      const linear = (css: string): number[] => new THREE.Color(css).toArray().map((v) => Math.round(255 * v));
      const [measured, invented] = [linear(SURFACE_TINTS.measured), linear(SURFACE_TINTS.invented)];
      for (let i = 0; i < flags.count; i++) tint.set(flags.getX(i) > 0 ? invented : measured, 3 * i);
      geometry.setAttribute('tint', new THREE.BufferAttribute(tint, 3, true));
      if (!geometry.hasAttribute('trueColor') && geometry.hasAttribute('color'))
        geometry.setAttribute('trueColor', geometry.getAttribute('color'));
      geometry.setAttribute('color', geometry.getAttribute('tint'));
      options.vertexColors = true;
    } else {
      if (geometry.hasAttribute('trueColor')) geometry.setAttribute('color', geometry.getAttribute('trueColor'));
      if (color === 'true' && s.map) options.map = s.map;
      else if (color === 'true' && s.hasColors) options.vertexColors = true;
      else options.color = new THREE.Color('#c9bda6');
    }
    s.mesh.material = lit
      ? new THREE.MeshStandardMaterial({ ...options, roughness: 0.85, metalness: 0 })
      : new THREE.MeshBasicMaterial(options);
  }
}

/** sRGB bytes as linear bytes, which is what vertex colours mean to the renderer. */
function srgbToLinear(bytes: Uint8Array): Uint8Array {
  return bytes.map((v) => Math.round(255 * (v <= 10 ? v / 3294.6 : ((v / 255 + 0.055) / 1.055) ** 2.4)));
}
