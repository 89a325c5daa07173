import { knowledgeOf, NO_ANGLE, type VertexKnowledge } from '@amber-knit/core/geometry';
import * as THREE from 'three';
import { MeshBVH, acceleratedRaycast } from 'three-mesh-bvh';
import { streamSurface, type SurfaceParts } from './surface-parts';
import { errorColors, errorRange, inventedColors, scanCountColors } from './surface-colors';
import { SurfaceMaps, textureOf } from './surface-maps';
import { srgbToLinear, type KnownPlace, type LayerEvents, type Pick, type ViewLook } from './view-content';

/** Gives linear colours of all vertices, told what they know and how many there are; undefined leaves the surface as it is. */
export type SurfacePainter = (known: VertexKnowledge, vertices: number) => Uint8Array | undefined;

/** Vertices that lie elsewhere now: places and normals, 3 each. */
export interface MovedVertices {
  vertices: Uint32Array;
  positions: Float32Array;
  normals: Float32Array;
}

/** After vertices have moved, picking learns of it so often, ms: more would cost more than it tells. */
const REFIT_MS = 300;

interface LoadedSurface {
  artifactId: string;
  mesh: THREE.Mesh;
  triangles: number;
  hasColors: boolean;
  /** Vertices of the corners, where each corner has become a vertex of its own. */
  corners?: Uint32Array;
  known: VertexKnowledge;
  vertices: number;
  map?: THREE.Texture;
  /** Of a light surface what its other maps hold. */
  maps?: SurfaceMaps;
  bounds: THREE.Box3;
  /** Ends of the scale of expected errors, mm. */
  errors?: readonly [number, number];
  /** When picking last learned of vertices that moved, ms; undefined if none has moved since. */
  moved?: number;
}

/** The mesh or the textured model: part by part if it comes slowly, then whole. */
export class SurfaceLayer {
  readonly group = new THREE.Group();
  private surface?: LoadedSurface;
  private loading?: { artifactId: string; abort: AbortController };
  private painter?: SurfacePainter;
  private veil = 1;
  private look: ViewLook = { color: 'true', lit: true, wireframe: false, edges: true, map: null };

  /**
   * @param onShown called whenever a surface takes the place of the points
   * @param side which sides are drawn: of a room its inside alone, so that one can look into it
   */
  constructor(
    private readonly events: LayerEvents,
    private readonly onShown: () => void,
    private readonly side: THREE.Side = THREE.DoubleSide,
  ) {}

  /** How much it hides of what lies behind it: 1 all of it. */
  set opacity(opacity: number) {
    if (opacity === this.veil) return;
    this.veil = opacity;
    this.applyLook(this.look);
  }

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

  /** Shows arrays of somebody's own, such as a preview, under an id that no artifact has. */
  showParts(id: string, parts: SurfaceParts): void {
    this.loading?.abort.abort();
    this.loading = undefined;
    if (this.surface?.artifactId !== id) this.put(id, parts);
  }

  /** Moves vertices of what `showParts` shows; of another surface it does nothing. */
  moveVertices(id: string, { vertices, positions, normals }: MovedVertices): void {
    const s = this.surface;
    if (s?.artifactId !== id) return;
    for (const [name, from] of [
      ['position', positions],
      ['normal', normals],
    ] as const) {
      const attribute = s.mesh.geometry.getAttribute(name) as THREE.BufferAttribute;
      const to = attribute.array;
      for (let i = 0; i < vertices.length; i++) for (let k = 0; k < 3; k++) to[3 * vertices[i] + k] = from[3 * i + k];
      attribute.needsUpdate = true;
    }
    s.moved ??= -Infinity;
  }

  /** The colours of a stored surface as they lie in the view; undefined if it is not shown or has no map. */
  mapOf(id: string): THREE.Texture | undefined {
    return this.surface?.artifactId === id ? this.surface.map : undefined;
  }

  /** Loads a surface again if it is shown. */
  showAnew(id: string): void {
    if (this.surface?.artifactId === id && !this.loading) void this.load(id);
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
      side: this.side,
      wireframe,
      ...(this.veil < 1 ? { transparent: true, opacity: this.veil, depthWrite: false } : {}),
    };
    const geometry = s.mesh.geometry;
    const knowledge = this.painted(s);
    const single = look.map && s.maps?.get(look.map);
    if (single) {
      // What a map holds is looked at as it is: no light falls on it.
      s.mesh.material = new THREE.MeshBasicMaterial({ ...options, map: single });
      return;
    }
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
      ? new THREE.MeshStandardMaterial({ ...options, ...reliefOf(s.maps), roughness: 0.85, metalness: 0 })
      : new THREE.MeshBasicMaterial(options);
  }

  private applyLookAnew(): void {
    this.applyLook(this.look);
    this.events.changed();
  }

  /** Colours the surface by somebody's own: linear bytes per vertex of the stored surface; undefined ends that. */
  paint(painter: SurfacePainter | undefined): void {
    this.painter = painter;
    this.applyLook(this.look);
  }

  /** What a painter, or the way of colouring, makes of the surface; undefined if it is of another one or leaves it. */
  private painted({ mesh: { geometry }, corners, known, vertices, errors }: LoadedSurface): Uint8Array | undefined {
    const own = this.painter?.(known, vertices);
    const colors = own?.length === 3 * vertices ? own : knowledgeColors(known, errors, this.look.color);
    if (!colors || !corners) return colors;
    const out = new Uint8Array(3 * geometry.getAttribute('position').count);
    for (let i = 0; i < corners.length; i++) out.set(colors.subarray(3 * corners[i], 3 * corners[i] + 3), 3 * i);
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
    const { moved } = this.surface!;
    if (moved !== undefined && performance.now() - moved > REFIT_MS) {
      geometry.boundsTree.refit();
      this.surface!.moved = performance.now();
    }
    const hit = ray.intersectObject(mesh, false).find((h) => shown(h.point));
    if (!hit?.face) return undefined;
    const corners = [hit.face.a, hit.face.b, hit.face.c];
    const p = geometry.getAttribute('position');
    let best = 10 * pixel;
    let snapped: THREE.Vector3 | undefined;
    for (const v of corners) {
      const q = new THREE.Vector3().fromBufferAttribute(p, v).applyMatrix4(mesh.matrixWorld);
      const d = q.distanceTo(hit.point);
      if (d < best) {
        best = d;
        snapped = q;
      }
    }
    const at = snapped ?? hit.point;
    const { known, corners: stored } = this.surface!;
    const vertices = stored ? corners.map((v) => stored[v]) : corners;
    return {
      point: [at.x, at.y, at.z],
      snapped: Boolean(snapped),
      invented: known.invented && vertices.some((v) => known.invented![v] > 0),
      known: knownPlace(known, vertices[0]),
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
      let whole = false;
      const show = async (parts: SurfaceParts, isWhole: boolean): Promise<void> => {
        const map = parts.png && parts.uvs ? await textureOf(parts.png, THREE.SRGBColorSpace) : undefined;
        // What is shown early may be overtaken while its map is unpacked.
        if (!abort.signal.aborted && (isWhole || !whole)) this.put(artifactId, parts, map);
      };
      const parts = await streamSurface(artifactId, abort.signal, (early) => void show(early, false));
      whole = true;
      await show(parts, true);
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
      known: knowledgeOf(parts),
      vertices: parts.positions.length / 3,
      map,
      maps: parts.maps && new SurfaceMaps(parts.maps, () => this.applyLookAnew()),
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
    s.maps?.dispose();
    this.surface = undefined;
  }
}

function geometryOf(parts: SurfaceParts, withMap: boolean): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute('position', new THREE.BufferAttribute(parts.positions, 3));
  if (parts.colors) geometry.setAttribute('color', new THREE.BufferAttribute(srgbToLinear(parts.colors), 3, true));
  geometry.setIndex(new THREE.BufferAttribute(parts.indices, 1));
  if (parts.normals) geometry.setAttribute('normal', new THREE.BufferAttribute(parts.normals, 3));
  else geometry.computeVertexNormals();
  if (!withMap) return geometry;
  // Map coordinates belong to corners: give every corner its own vertex.
  const cornered = geometry.toNonIndexed();
  cornered.setAttribute('uv', new THREE.BufferAttribute(parts.uvs!, 2));
  if (parts.tangents) cornered.setAttribute('tangent', new THREE.BufferAttribute(parts.tangents, 4));
  return cornered;
}

/** What makes a light surface look as detailed as the whole one; nothing for others, and until it is unpacked. */
function reliefOf(maps: SurfaceMaps | undefined): THREE.MeshStandardMaterialParameters {
  const normalMap = maps?.get('normal');
  const aoMap = maps?.get('occlusion');
  return { ...(normalMap ? { normalMap } : {}), ...(aoMap ? { aoMap } : {}) };
}

/** Vertex colours that show what the surface knows of itself; undefined for other ways to colour it, or if it does not know. */
function knowledgeColors(
  { invented, scanCount, expectedError }: VertexKnowledge,
  errors: readonly [number, number] | undefined,
  color: ViewLook['color'],
): Uint8Array | undefined {
  if (color === 'invented' && invented) return inventedColors(invented);
  if (color === 'scans' && scanCount) return scanCountColors(scanCount);
  if (color === 'error' && expectedError && errors) return errorColors(expectedError, errors);
  return undefined;
}

function knownPlace(known: VertexKnowledge, vertex: number): KnownPlace {
  const angle = known.bestAngle?.[vertex];
  const scan = known.bestScan?.[vertex];
  return {
    scanCount: known.scanCount?.[vertex],
    expectedError: known.expectedError?.[vertex],
    ...(angle !== undefined && angle !== NO_ANGLE ? { bestAngle: angle } : {}),
    ...(scan !== undefined ? { bestScan: known.scanNames?.[scan] } : {}),
  };
}
