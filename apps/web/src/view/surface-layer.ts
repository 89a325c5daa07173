import * as THREE from 'three';
import { MeshBVH, acceleratedRaycast } from 'three-mesh-bvh';
import { streamSurface, type SurfaceParts } from './surface-parts';
import { errorColors, errorRange, inventedColors, scanCountColors } from './surface-colors';
import { srgbToLinear, type LayerEvents, type Pick, type ViewLook } from './view-content';

/** Gives the colours of all vertices, told which of them are invented, where the surface knows. */
export type SurfacePainter = (invented: Uint8Array | undefined) => Uint8Array;

interface LoadedSurface {
  artifactId: string;
  mesh: THREE.Mesh;
  triangles: number;
  hasColors: boolean;
  /** Vertices of the corners, where each corner has become a vertex of its own. */
  corners?: Uint32Array;
  invented?: Uint8Array;
  map?: THREE.Texture;
  bounds: THREE.Box3;
  /** Ends of the scale of expected errors, mm. */
  errors?: readonly [number, number];
}

/** The mesh or the textured model: coarse first, then whole. */
export class SurfaceLayer {
  readonly group = new THREE.Group();
  private surface?: LoadedSurface;
  private loading?: { artifactId: string; abort: AbortController };
  private painter?: SurfacePainter;
  private look: ViewLook = { color: 'true', lit: true, wireframe: false, edges: true };

  /** @param onShown called whenever a surface takes the place of the points */
  constructor(
    private readonly events: LayerEvents,
    private readonly onShown: () => void,
  ) {}

  /** Shows this artifact, or nothing. */
  show(artifactId: string | undefined): void {
    if (!artifactId) {
      this.loading?.abort.abort();
      this.loading = undefined;
      this.remove();
    } else if (this.surface?.artifactId !== artifactId && this.loading?.artifactId !== artifactId) {
      void this.load(artifactId);
    }
  }

  get visible(): boolean {
    return this.surface !== undefined;
  }

  get triangles(): number {
    return this.surface?.triangles ?? 0;
  }

  /** What the ends of the scale of expected errors stand for, mm; undefined if the surface does not know. */
  get errors(): readonly [number, number] | undefined {
    return this.surface?.errors;
  }

  box(): THREE.Box3 {
    return this.surface?.bounds.clone() ?? new THREE.Box3();
  }

  applyLook(look: ViewLook): void {
    this.look = look;
    const s = this.surface;
    if (!s) return;
    const { color, lit, wireframe } = look;
    (s.mesh.material as THREE.Material).dispose();
    const options: THREE.MeshStandardMaterialParameters & THREE.MeshBasicMaterialParameters = {
      side: THREE.DoubleSide,
      wireframe,
    };
    const geometry = s.mesh.geometry;
    const knowledge = this.painted(s) ?? knowledgeColors(s, color);
    if (knowledge) {
      if (!geometry.hasAttribute('trueColor') && geometry.hasAttribute('color'))
        geometry.setAttribute('trueColor', geometry.getAttribute('color'));
      geometry.setAttribute('color', new THREE.BufferAttribute(knowledge, 3, true));
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

  /** Colours the surface by somebody's own: linear bytes per vertex of the stored surface; undefined ends that. */
  paint(painter: SurfacePainter | undefined): void {
    this.painter = painter;
    this.applyLook(this.look);
  }

  /** What a painter makes of the surface; undefined if it is of another one. */
  private painted({ mesh: { geometry }, corners, invented }: LoadedSurface): Uint8Array | undefined {
    const colors = this.painter?.(invented);
    const n = geometry.getAttribute('position').count;
    if (!colors || !corners) return colors?.length === 3 * n ? colors : undefined;
    const out = new Uint8Array(3 * n);
    for (let i = 0; i < n; i++) out.set(colors.subarray(3 * corners[i], 3 * corners[i] + 3), 3 * i);
    return out;
  }

  /** The surface under a ray; snaps to a vertex within ten pixels. */
  pick(ray: THREE.Raycaster, pixel: number, shown: (p: THREE.Vector3) => boolean): Pick | undefined {
    const { mesh } = this.surface!;
    const { geometry } = mesh;
    if (!geometry.boundsTree) {
      geometry.boundsTree = new MeshBVH(geometry, { indirect: true });
      mesh.raycast = acceleratedRaycast;
    }
    const hit = ray.intersectObject(mesh, false).find((h) => shown(h.point));
    if (!hit?.face) return undefined;
    const corners = [hit.face.a, hit.face.b, hit.face.c];
    const p = geometry.getAttribute('position');
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
    const invented = geometry.getAttribute('invented');
    return {
      point: [at.x, at.y, at.z],
      snapped: Boolean(snapped),
      invented: invented ? corners.some((v) => invented.getX(v) > 0) : undefined,
      scanCount: geometry.hasAttribute('scanCount') ? geometry.getAttribute('scanCount').getX(hit.face.a) : undefined,
      expectedError: geometry.hasAttribute('expectedError')
        ? geometry.getAttribute('expectedError').getX(hit.face.a)
        : undefined,
    };
  }

  dispose(): void {
    this.loading?.abort.abort();
    this.remove();
  }

  private async load(artifactId: string): Promise<void> {
    this.loading?.abort.abort();
    const abort = new AbortController();
    this.loading = { artifactId, abort };
    try {
      const parts = await streamSurface(artifactId, abort.signal, (coarse) => this.put(artifactId, coarse));
      const map = parts.png && parts.uvs ? await textureOf(parts.png) : undefined;
      if (!abort.signal.aborted) this.put(artifactId, parts, map);
    } catch (e) {
      if ((e as Error).name !== 'AbortError') this.events.failed((e as Error).message);
    } finally {
      if (this.loading?.abort === abort) this.loading = undefined;
    }
  }

  private put(artifactId: string, parts: SurfaceParts, map?: THREE.Texture): void {
    const first = !this.surface;
    this.remove();
    const mesh = new THREE.Mesh(geometryOf(parts, map !== undefined));
    this.group.add(mesh);
    this.surface = {
      artifactId,
      mesh,
      triangles: parts.indices.length / 3,
      hasColors: Boolean(parts.colors),
      corners: map && parts.indices,
      invented: parts.invented,
      map,
      errors: parts.expectedError && errorRange(parts.expectedError),
      bounds: new THREE.Box3(new THREE.Vector3(...parts.bounds.min), new THREE.Vector3(...parts.bounds.max)),
    };
    this.onShown();
    this.applyLook(this.look);
    if (first) this.events.extended();
    this.events.changed();
  }

  private remove(): void {
    const s = this.surface;
    if (!s) return;
    this.group.remove(s.mesh);
    s.mesh.geometry.dispose();
    (s.mesh.material as THREE.Material).dispose();
    s.map?.dispose();
    this.surface = undefined;
  }
}

function geometryOf(parts: SurfaceParts, withMap: boolean): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute('position', new THREE.BufferAttribute(parts.positions, 3));
  if (parts.colors) geometry.setAttribute('color', new THREE.BufferAttribute(srgbToLinear(parts.colors), 3, true));
  if (parts.invented) geometry.setAttribute('invented', new THREE.BufferAttribute(parts.invented, 1));
  if (parts.scanCount) geometry.setAttribute('scanCount', new THREE.BufferAttribute(parts.scanCount, 1));
  if (parts.expectedError) geometry.setAttribute('expectedError', new THREE.BufferAttribute(parts.expectedError, 1));
  geometry.setIndex(new THREE.BufferAttribute(parts.indices, 1));
  if (parts.normals) geometry.setAttribute('normal', new THREE.BufferAttribute(parts.normals, 3));
  else geometry.computeVertexNormals();
  if (!withMap) return geometry;
  // Map coordinates belong to corners: give every corner its own vertex.
  const cornered = geometry.toNonIndexed();
  cornered.setAttribute('uv', new THREE.BufferAttribute(parts.uvs!, 2));
  return cornered;
}

async function textureOf(png: Uint8Array): Promise<THREE.Texture> {
  const bitmap = await createImageBitmap(new Blob([png as Uint8Array<ArrayBuffer>], { type: 'image/png' }), {
    imageOrientation: 'flipY',
  });
  const map = new THREE.Texture(bitmap);
  map.flipY = false;
  map.colorSpace = THREE.SRGBColorSpace;
  map.needsUpdate = true;
  return map;
}

/** Vertex colours that show what the surface knows of itself; undefined for other ways to colour it, or if it does not know. */
function knowledgeColors(
  { mesh: { geometry }, errors }: LoadedSurface,
  color: ViewLook['color'],
): Uint8Array | undefined {
  const values = (name: string): ArrayLike<number> | undefined =>
    geometry.hasAttribute(name) ? geometry.getAttribute(name).array : undefined;
  const [invented, counts, error] = [values('invented'), values('scanCount'), values('expectedError')];
  if (color === 'invented' && invented) return inventedColors(invented);
  if (color === 'scans' && counts) return scanCountColors(counts);
  if (color === 'error' && error && errors) return errorColors(error, errors);
  return undefined;
}
