import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { BitSet } from '@amber-knit/core/geometry';
import type { ScreenView } from '@amber-knit/core/selection';
import { ContentLayers, type DraftSurface } from './content-layers';
import { AroundLayer } from './around-layer';
import { pointsApart, type OwnPoints } from './points-apart';
import { EdgeShading } from './edge-shading';
import { isSoftwareRendering } from './graphics';
import { PacedDrawing } from '../shared/paced-drawing';
import { PointBudget } from './point-budget';
import type { Section } from '../app/view-slice';
import { slabOf } from './section';
import type { MovedVertices, SurfacePainter } from './surface-layer';
import { patchTexture, type MapTile } from './surface-maps';
import type { LayerEvents, Orbit, Pick, ViewAxes, ViewContent, ViewLook } from './view-content';

export const STANDARD_VIEWS = {
  front: [0, -1, 0],
  back: [0, 1, 0],
  left: [-1, 0, 0],
  right: [1, 0, 0],
  top: [0, 0, 1],
  below: [0, 0, -1],
} as const;
export type StandardView = keyof typeof STANDARD_VIEWS;
const VIEW_KEYS: Record<string, StandardView | undefined> = {
  '1': 'front',
  '2': 'back',
  '3': 'left',
  '4': 'right',
  '5': 'top',
  '6': 'below',
};

/** The lens: how much larger it shows, and its distance from the corner, page pixels. */
const LENS_POWER = 4;
const LENS_MARGIN = 12;

/** Part of the points held for drawing that what is compared with may hold besides. */
const BESIDE_SHARE = 0.25;

/** How long nothing may change before more points are drawn, ms. */
const REST_MS = 180;
/** A view at rest is drawn anew for so many times the points. */
const WORTH_IT = 1.25;

const AXES: readonly Section['axis'][] = ['x', 'y', 'z'];

/**
 * The 3D view: streams clouds and surfaces, draws only when something changed, picks points. Millimetres, Z up.
 */
export class ViewEngine {
  /** Ends of the scale of expected errors of the surface, mm. */
  get errors(): readonly [number, number] | undefined {
    return this.surface.errors;
  }

  /** Triangles of the surface that is shown; 0 while there is none. */
  get triangles(): number {
    return this.surface.triangles;
  }

  /** Points that are there, points drawn in the last picture, triangles. */
  onCount?: (points: number, drawn: number, triangles: number) => void;
  onError?: (message: string) => void;
  /** The eye has gone round or nearer: by hand, or led by a fit or by another view. */
  onOrbit?: (orbit: Orbit, led: boolean) => void;
  private readonly painted = new Set<() => void>();
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(35, 1, 1, 10000);
  private readonly controls: OrbitControls;
  private readonly headlight = new THREE.DirectionalLight(0xffffff, 1.7);
  private readonly marks = new THREE.Group();
  private readonly events: LayerEvents = {
    changed: (atOnce = false) => {
      this.applyLook();
      this.draw(atOnce);
    },
    extended: () => this.fitFirst(),
    failed: (message) => this.onError?.(message),
  };
  private readonly shown = new ContentLayers(this.events, () => this.fit());
  /** Another place, shown around the piece. */
  readonly around: AroundLayer;
  /** Another state of the piece, shown in the left part of the view, and how large that part is. */
  private beside: ContentLayers | undefined;
  private split = 0.5;
  private patches?: { id: string; tiles: readonly MapTile[] };
  private look: ViewLook = { color: 'true', lit: true, wireframe: false, edges: true, map: null };
  private readonly drawing: PacedDrawing;
  private readonly edges = new EdgeShading(isSoftwareRendering() ? 0 : 4);
  private readonly budget = new PointBudget(isSoftwareRendering());
  private drawn = 0;
  private readonly owned = new Map<string, OwnPoints>();
  private apart: THREE.Points | undefined;
  private lens: { at: [number, number]; size: number } | null = null;
  private resting = 0;
  /** The last picture was one of a view at rest. */
  private refined = false;
  private counted = '';
  private fitted = false;
  /** Another view leads this one just now. */
  private led = false;
  private readonly resize: ResizeObserver;

  constructor(private readonly canvas: HTMLCanvasElement) {
    // Software rendering pays three to four times for smoothing.
    this.renderer = new THREE.WebGLRenderer({ canvas, alpha: true, antialias: !isSoftwareRendering() });
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.camera.up.set(0, 0, 1);
    this.camera.position.set(250, -350, 200);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener('change', () => {
      this.draw();
      this.onOrbit?.(this.orbit, this.led);
    });
    this.drawing = new PacedDrawing(
      this.renderer.getContext() as WebGL2RenderingContext,
      () => this.paint(),
      (ms) => this.learn(ms),
    );
    this.scene.add(new THREE.HemisphereLight(0xffffff, 0xb9ad98, 1.5), this.headlight, this.marks);
    this.scene.add(this.shown.group);
    this.around = new AroundLayer(this.scene, this.shown.group, {
      ...this.events,
      changed: () => this.draw(),
      extended: () => this.fit(),
    });
    this.resize = new ResizeObserver(() => this.fitCanvas());
    this.resize.observe(canvas.parentElement ?? canvas);
    this.fitCanvas();
  }

  dispose(): void {
    clearTimeout(this.resting);
    this.drawing.dispose();
    this.resize.disconnect();
    this.apart?.geometry.dispose();
    this.edges.dispose();
    this.beside?.dispose();
    this.around.dispose();
    this.shown.dispose();
    this.controls.dispose();
    this.renderer.dispose();
  }

  /** Draws at the next frame: a part of the points if they are many, and all that time allows once nothing changes. */
  draw(atOnce = true): void {
    clearTimeout(this.resting);
    this.resting = 0;
    this.drawing.request(atOnce);
  }

  private paint(): void {
    const rested = this.resting !== 0;
    this.resting = 0;
    this.headlight.position.copy(this.camera.position);
    this.layPatches();
    const points = this.budget.points(!rested);
    const besides = this.beside?.clouds.limit(points / 2) ?? 0;
    this.drawn = besides + this.clouds.limit(points - besides);
    const edges = this.look.edges && !this.surface.visible;
    // Without a graphics card a moving view has no time for them.
    const later = edges && !rested && isSoftwareRendering();
    this.paintScene(edges && !later);
    this.paintLens();
    this.count();
    this.painted.forEach((listener) => listener());
    const all = this.drawn >= this.clouds.held + (this.beside?.clouds.held ?? 0);
    this.refined = rested;
    if (rested || (all && !later)) return;
    this.drawAgain();
  }

  private drawAgain(): void {
    this.resting = window.setTimeout(() => this.drawing.request(), REST_MS);
  }

  /** Learns from how long a picture took; a resting view is drawn again while clearly more points could be shown. */
  private learn(ms: number): void {
    this.budget.took(this.drawn, ms, !this.refined);
    const held = this.clouds.held + (this.beside?.clouds.held ?? 0);
    const could = Math.min(held, this.budget.points(false));
    if (this.refined && !this.resting && could > WORTH_IT * this.drawn) this.drawAgain();
  }

  /** The piece; or what it is compared with to the left of the divider, and the piece to the right of it. */
  private paintScene(withEdges: boolean): void {
    const { renderer, beside, shown } = this;
    const render = (): void =>
      withEdges ? this.edges.render(renderer, this.scene, this.camera) : renderer.render(this.scene, this.camera);
    if (!beside) return render();
    const { clientWidth: width, clientHeight: height } = this.canvas;
    const middle = Math.round(this.split * width);
    renderer.setScissorTest(true);
    for (const left of [true, false]) {
      renderer.setScissor(left ? 0 : middle, 0, left ? middle : width - middle, height);
      beside.group.visible = left;
      shown.group.visible = !left;
      render();
    }
    renderer.setScissorTest(false);
  }

  /** Shows another content as well, to the left of a divider that moves with `setSplit`; undefined ends that. */
  compare(content: ViewContent | undefined): void {
    if (content && !this.beside) {
      this.beside = new ContentLayers(this.events, () => this.draw(), BESIDE_SHARE);
      this.scene.add(this.beside.group);
    } else if (!content && this.beside) {
      this.beside.group.removeFromParent();
      this.beside.dispose();
      this.beside = undefined;
    }
    this.shown.group.visible = true;
    if (content) this.beside?.show(content);
    this.applyLook();
    this.draw();
  }

  /** Where the divider stands, as a share of the view's width. */
  setSplit(split: number): void {
    this.split = split;
    this.draw();
  }

  /** Magnifies what lies under a pointer position, in a square of `size` page pixels at the lower right. */
  setLens(at: [number, number] | null, size: number): void {
    if (!at && !this.lens) return;
    this.lens = at && { at, size };
    this.draw();
  }

  /** Tells after every picture, so that what lies over the view can follow. @returns what ends it */
  whenPainted(listener: () => void): () => void {
    this.painted.add(listener);
    return () => this.painted.delete(listener);
  }

  /** Where the view shows a place, page pixels from the canvas's upper left. */
  project(place: [number, number, number]): { x: number; y: number } {
    this.camera.updateMatrixWorld();
    const v = new THREE.Vector3(...place).project(this.camera);
    return {
      x: ((v.x + 1) / 2) * this.canvas.clientWidth,
      y: ((1 - v.y) / 2) * this.canvas.clientHeight,
    };
  }

  private paintLens(): void {
    if (!this.lens) return;
    const { at, size } = this.lens;
    const rect = this.canvas.getBoundingClientRect();
    const seen = size / LENS_POWER;
    const { camera, renderer } = this;
    camera.setViewOffset(
      rect.width,
      rect.height,
      at[0] - rect.left - seen / 2,
      at[1] - rect.top - seen / 2,
      seen,
      seen,
    );
    const square = [rect.width - size - LENS_MARGIN, LENS_MARGIN, size, size] as const;
    renderer.setScissorTest(true);
    renderer.setScissor(...square);
    renderer.setViewport(...square);
    this.clouds.scalePoints(LENS_POWER);
    renderer.render(this.scene, camera);
    this.clouds.scalePoints(1 / LENS_POWER);
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, rect.width, rect.height);
    camera.clearViewOffset();
  }

  /** Shows this content; what is already loaded stays, the rest is streamed in. */
  show(content: ViewContent): void {
    this.shown.show(content);
    this.applyLook();
    this.draw();
  }

  /** Shows a surface that is not stored, such as a preview, in place of the piece; undefined ends that. */
  showDraft(draft: DraftSurface | undefined): void {
    this.shown.showDraft(draft);
    this.applyLook();
    this.draw();
  }

  /** Moves vertices of the surface that `showDraft` shows under this id. */
  moveDraft(id: string, moved: MovedVertices): void {
    this.surface.moveVertices(id, moved);
    this.draw();
  }

  /** Parts of the map of the stored surface look different now. */
  patchMap(id: string, tiles: readonly MapTile[]): void {
    // Of a surface that is still on its way, once it is there.
    this.patches = { id, tiles: this.patches?.id === id ? [...this.patches.tiles, ...tiles] : tiles };
    this.draw();
  }

  private layPatches(): void {
    const map = this.patches && this.surface.mapOf(this.patches.id);
    if (!map) return;
    patchTexture(this.renderer, map, this.patches!.tiles);
    this.patches = undefined;
  }

  /** Shows a stored surface as it is stored, whatever was changed on it. */
  showAnew(id: string): void {
    this.surface.showAnew(id);
  }

  setLook(look: ViewLook): void {
    this.look = look;
    this.applyLook();
    this.draw();
  }

  /** While points are selected by drawing, the primary button and one finger draw; others turn, move and zoom. */
  setDrawing(on: boolean): void {
    this.controls.mouseButtons = on
      ? { LEFT: null, MIDDLE: THREE.MOUSE.DOLLY, RIGHT: THREE.MOUSE.ROTATE }
      : { LEFT: THREE.MOUSE.ROTATE, MIDDLE: THREE.MOUSE.DOLLY, RIGHT: THREE.MOUSE.PAN };
    this.controls.touches = on
      ? { ONE: null, TWO: THREE.TOUCH.DOLLY_ROTATE }
      : { ONE: THREE.TOUCH.ROTATE, TWO: THREE.TOUCH.DOLLY_PAN };
  }

  /** Shows points of somebody's own beside the content; of several, what was asked for last. */
  showApart(owner: string, own: OwnPoints | undefined): void {
    this.owned.delete(owner);
    if (own) this.owned.set(owner, own);
    const last = [...this.owned.values()].pop();
    this.apart?.removeFromParent();
    this.apart?.geometry.dispose();
    this.apart = last && pointsApart(last);
    if (this.apart) this.scene.add(this.apart);
    this.draw();
  }

  /** Draws only what lies in a slab; null draws all. @returns what is shown along its axis (Z without), from and to, mm */
  setSection(section: Section | null): [number, number] {
    const axis = AXES.indexOf(section?.axis ?? 'z');
    const box = this.contentBox();
    const extent: [number, number] = box.isEmpty() ? [0, 0] : [box.min.getComponent(axis), box.max.getComponent(axis)];
    const slab = section && slabOf(section, extent);
    const normal = new THREE.Vector3(...(slab?.normal ?? [0, 0, 1]));
    this.renderer.clippingPlanes = slab
      ? [new THREE.Plane(normal, -slab.from), new THREE.Plane(normal.clone().negate(), slab.to)]
      : [];
    this.draw();
    return extent;
  }

  /** Looks along an axis at its section, as at a drawing. */
  lookAlong(axis: Section['axis']): void {
    this.fit(({ x: 'right', y: 'front', z: 'top' } as const)[axis]);
  }

  /** Marks points of a scan as selected, and as about to be cut. */
  markPoints(scanId: string, selected: BitSet | undefined, leaving: BitSet | undefined): void {
    this.clouds.mark(scanId, selected, leaving);
  }

  /** Colours the points of a scan by levels of the colour scale; undefined goes back to the usual colours. */
  colorByLevel(scanId: string, levels: Uint8Array | undefined): void {
    this.clouds.colorByLevel(scanId, levels);
  }

  /** Colours the surface by somebody's own; undefined goes back to the usual colours. */
  paintSurface(painter: SurfacePainter | undefined): void {
    this.surface.paint(painter);
    this.draw();
  }

  /** Goes near a place, along the present direction of view, or from beside a point that it then sees as well. */
  lookAt(place: [number, number, number], size: number, from?: [number, number, number]): void {
    const direction = this.camera.position.clone().sub(this.controls.target).normalize();
    const target = new THREE.Vector3(...place);
    if (from) {
      // From aside: straight behind, what stands there would hide what it looks at.
      const ahead = new THREE.Vector3(...from).sub(target).normalize();
      const aside = new THREE.Vector3(-ahead.y, ahead.x, 0);
      if (aside.length() < 0.3) aside.set(0, -1, 0);
      direction.copy(ahead).addScaledVector(aside.normalize(), 1.1);
      direction.z += 0.15;
      direction.normalize();
    }
    // From outside: the side of the middle that the place lies on.
    const outwards = target.clone().sub(this.contentBox().getCenter(new THREE.Vector3()));
    if (!from && outwards.length() > 1e-6 && outwards.normalize().dot(direction) < 0.3) {
      direction.copy(outwards);
      direction.z = Math.max(-0.9, Math.min(0.9, direction.z));
      direction.normalize();
    }
    const distance = (1.5 * size) / Math.tan((this.camera.fov * Math.PI) / 360);
    this.camera.position.copy(target).addScaledVector(this.around.freeDirection(target, direction, distance), distance);
    this.controls.target.copy(target);
    this.controls.update();
    this.draw();
  }

  /** What selecting on the picture needs to know of it: pixels of the page, and where the eye is. */
  screenView(): { view: ScreenView; eye: [number, number, number] } {
    this.camera.updateMatrixWorld();
    const clip = this.camera.projectionMatrix.clone().multiply(this.camera.matrixWorldInverse);
    const { clientWidth: width, clientHeight: height } = this.canvas;
    return {
      view: { clipFromView: Float64Array.from(clip.elements), width, height },
      eye: this.camera.position.toArray(),
    };
  }

  /** Where the eye stands round what it looks at. */
  get orbit(): Orbit {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const s = new THREE.Spherical().setFromVector3(new THREE.Vector3(offset.x, offset.z, -offset.y));
    return { around: s.theta, down: s.phi, distance: s.radius };
  }

  set orbit(orbit: Orbit) {
    this.led = true;
    this.stand(orbit);
    this.led = false;
  }

  private stand({ around, down, distance }: Orbit): void {
    const v = new THREE.Vector3().setFromSpherical(
      new THREE.Spherical(distance, Math.max(0.02, Math.min(Math.PI - 0.02, down)), around),
    );
    this.camera.position.copy(this.controls.target).add(new THREE.Vector3(v.x, -v.z, v.y));
    this.controls.update();
    this.draw();
  }

  /** How the view stands, and what a pixel of the page measures at a place. */
  axesAt(place: [number, number, number]): ViewAxes {
    this.camera.updateMatrixWorld();
    const axis = (k: number): [number, number, number] =>
      new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, k).toArray();
    const depth = -new THREE.Vector3(...place).applyMatrix4(this.camera.matrixWorldInverse).z;
    const mmPerPixel = (2 * Math.tan((this.camera.fov * Math.PI) / 360) * depth) / this.canvas.clientHeight;
    return { right: axis(0), up: axis(1), toEye: axis(2), mmPerPixel };
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
    // What fits one view need not fit another.
    this.led = true;
    this.controls.update();
    this.led = false;
    this.draw();
  }

  /** Turns, moves, zooms, fits or chooses a view by a key. @returns true if the key means something here */
  key(key: string, shift: boolean): boolean {
    const view = VIEW_KEYS[key];
    if (view || key === 'f' || key === 'F') {
      this.fit(view);
      return true;
    }
    const orbit = this.orbit;
    const step = 0.12;
    const pan = orbit.distance * 0.05;
    const right = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 0);
    const up = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 1);
    if (key === '+' || key === '=') orbit.distance /= 1.15;
    else if (key === '-') orbit.distance *= 1.15;
    else if (key.startsWith('Arrow')) {
      const dx = key === 'ArrowLeft' ? -1 : key === 'ArrowRight' ? 1 : 0;
      const dy = key === 'ArrowUp' ? 1 : key === 'ArrowDown' ? -1 : 0;
      if (shift) {
        const move = right.multiplyScalar(-dx * pan).addScaledVector(up, -dy * pan);
        this.controls.target.add(move);
      } else {
        orbit.around += dx * step;
        orbit.down -= dy * step;
      }
    } else return false;
    this.stand(orbit);
    return true;
  }

  /** Closest surface or point under a pointer position; snaps to a vertex within 10 pixels. */
  pick(clientX: number, clientY: number): Pick | undefined {
    const { ray, pixel } = this.rayAt(clientX, clientY);
    const planes = this.renderer.clippingPlanes;
    // What the section takes away can't be picked; behind it, more than the first hit counts.
    ray.firstHitOnly = planes.length === 0;
    const shown = (p: THREE.Vector3): boolean => planes.every((plane) => plane.distanceToPoint(p) >= 0);
    return this.surface.visible ? this.surface.pick(ray, pixel, shown) : this.clouds.pick(ray, pixel, shown);
  }

  /** Closest place of the surroundings under a pointer position. */
  pickAround(clientX: number, clientY: number): Pick | undefined {
    const { ray, pixel } = this.rayAt(clientX, clientY);
    ray.firstHitOnly = true;
    return this.around.pick(ray, pixel);
  }

  /** The ray under a pointer position, and what a pixel measures about where it looks, mm. */
  private rayAt(clientX: number, clientY: number): { ray: THREE.Raycaster; pixel: number } {
    const rect = this.canvas.getBoundingClientRect();
    const pointer = new THREE.Vector2(
      ((clientX - rect.left) / rect.width) * 2 - 1,
      1 - ((clientY - rect.top) / rect.height) * 2,
    );
    const ray = new THREE.Raycaster();
    ray.setFromCamera(pointer, this.camera);
    const pixel =
      (2 * Math.tan((this.camera.fov * Math.PI) / 360) * this.camera.position.distanceTo(this.controls.target)) /
      rect.height;
    return { ray, pixel };
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
    const box = this.around.boxWith(this.shown.box());
    return box.isEmpty() && this.apart ? box.expandByObject(this.apart) : box;
  }

  private count(): void {
    const counts = [this.clouds.points, Math.min(this.drawn, this.clouds.points), this.surface.triangles] as const;
    if (counts.join() === this.counted) return;
    this.counted = counts.join();
    this.onCount?.(...counts);
  }

  /** Fits as extents become known, until all are. */
  private fitFirst(): void {
    if (this.fitted) return;
    this.fitted = this.clouds.allBegun;
    queueMicrotask(() => this.fit());
  }

  private applyLook(): void {
    this.shown.applyLook(this.look);
    this.beside?.applyLook(this.look);
  }

  private get clouds(): ContentLayers['clouds'] {
    return this.shown.clouds;
  }

  private get surface(): ContentLayers['surface'] {
    return this.shown.surface;
  }
}
