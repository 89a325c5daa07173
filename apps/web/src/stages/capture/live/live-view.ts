import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import type { SplatPatch } from '@amber-knit/core/tracking';
import type { Plane } from './capture-messages';
import { PacedDrawing } from '../../../shared/paced-drawing';

const VERTEX = /* glsl */ `
  attribute vec3 splatNormal;
  attribute vec3 splatColor;
  attribute float born;
  uniform float now, size, widen, colorBy, hideInside;
  uniform vec4 cut;
  uniform vec3 sensor, range;
  uniform vec3 fresh;
  varying vec3 shade;
  varying float inside;
  varying float outOfRange;
  void main() {
    vec4 p = modelViewMatrix * vec4(position, 1.0);
    vec3 n = normalize(normalMatrix * splatNormal);
    float facing = dot(n, normalize(-p.xyz));
    inside = facing < 0.0 ? 1.0 : 0.0;
    float light = 0.35 + 0.65 * max(0.0, facing);
    float d = distance(position, sensor);
    vec3 nearColor = vec3(0.42, 0.25, 0.62), goodColor = vec3(0.80, 0.50, 0.10), farColor = vec3(0.32, 0.38, 0.45);
    float t = d < range.y ? (d - range.x) / (range.y - range.x) : 1.0 + (d - range.y) / (range.z - range.y);
    vec3 byDistance = t < 1.0 ? mix(nearColor, goodColor, clamp(t, 0.0, 1.0)) : mix(goodColor, farColor, clamp(t - 1.0, 0.0, 1.0));
    outOfRange = colorBy > 1.5 && (d < range.x || d > range.z) ? 1.0 : 0.0;
    vec3 base = colorBy > 1.5 ? byDistance : colorBy > 0.5 ? vec3(0.74, 0.70, 0.62) : splatColor;
    float age = clamp((now - born) / 2.5, 0.0, 1.0);
    shade = mix(fresh, base * light, colorBy > 1.5 ? 1.0 : 0.35 + 0.65 * age);
    gl_Position = projectionMatrix * p;
    // Below the cut plane nothing is shown.
    if (dot(cut.xyz, position) < cut.w || born < 0.0 || hideInside * inside > 0.5) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
    // Mostly hidden behind the front: where drawing is slow a few, much wider, show as well what is open.
    bool sparse = widen > 1.0 && inside > 0.5;
    if (sparse && (gl_VertexID / 2) % 4 != 0) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
    gl_PointSize = max(2.0, (sparse ? 2.0 : 1.0) * widen * size * projectionMatrix[1][1] / -p.z);
  }
`;

const FRAGMENT = /* glsl */ `
  varying vec3 shade;
  varying float inside;
  varying float outOfRange;
  void main() {
    vec3 c = shade;
    if (inside + outOfRange > 0.5) {
      float stripe = mod(floor((gl_FragCoord.x + gl_FragCoord.y) / 3.0), 2.0);
      // Seen from behind: this side is not scanned yet.
      if (inside > 0.5) c = stripe > 0.5 ? vec3(0.64, 0.23, 0.16) : vec3(0.90, 0.84, 0.76);
      if (outOfRange > 0.5 && stripe > 0.5) c *= 0.55;
    }
    gl_FragColor = vec4(c, 1.0);
  }
`;

/** A model that nothing was added to for so long has stopped growing, ms. */
const GROWING = 1500;

/** Blocks get room in steps of so many splats, so that one can take over where another was. */
const ROOM = 24;

/** Size of a kept frame's outline against the scanner's. */
const STAND_SIZE = 0.3;

export type LiveColor = 'true' | 'shape' | 'distance';

interface Slot {
  start: number;
  room: number;
  count: number;
}

/** Draws the growing model as splats, the scanner in front of it and where it has been. Millimetres, live frame. */
export class LiveView {
  onCount?: (splats: number) => void;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(35, 1, 5, 8000);
  private readonly controls: OrbitControls;
  private readonly material: THREE.ShaderMaterial;
  private readonly points: THREE.Points;
  private readonly scanner: THREE.LineSegments;
  private readonly trail: THREE.Line;
  private readonly mark: THREE.LineSegments;
  private trailPoints: number[] = [];
  private readonly stands: THREE.LineSegments;
  private standPoints: number[] = [];
  private slots = new Map<number, Slot>();
  /** Where blocks have moved out, by their room. */
  private vacant = new Map<number, number[]>();
  private used = 0;
  private count = 0;
  private capacity = 1 << 16;
  private readonly drawing: PacedDrawing;
  private begun = performance.now();
  private settled = false;
  private slow = false;
  private lastAdded = -Infinity;
  private everySecond?: THREE.BufferAttribute;
  private middle = new THREE.Vector3(0, 0, 330);
  private up = new THREE.Vector3(0, -1, 0);
  private follow = true;
  private fading = 0;
  private readonly resize: ResizeObserver;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    range: { near: number; best: number; far: number },
    private splat: number,
    /** What lies over the view's left side, pixels: the middle is moved away from it. */
    private readonly covered = 0,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, alpha: true });
    this.renderer.setPixelRatio(Math.min(1.5, window.devicePixelRatio));
    this.drawing = new PacedDrawing(
      this.renderer.getContext() as WebGL2RenderingContext,
      () => this.paint(),
      (ms) => (this.slow = ms > (this.slow ? 25 : 60)),
    );
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener('change', () => this.drawing.request(!this.follow));
    this.controls.addEventListener('start', () => (this.follow = false));
    this.material = new THREE.ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      uniforms: {
        now: { value: 0 },
        size: { value: 0 },
        widen: { value: 1 },
        colorBy: { value: 0 },
        hideInside: { value: 0 },
        cut: { value: new THREE.Vector4(0, 0, 0, -1) },
        sensor: { value: new THREE.Vector3() },
        range: { value: new THREE.Vector3(range.near, range.best, range.far) },
        fresh: { value: new THREE.Color(0.95, 0.62, 0.15) },
      },
    });
    this.points = new THREE.Points(this.newGeometry(this.capacity), this.material);
    this.points.frustumCulled = false;
    const teal = new THREE.LineBasicMaterial({ color: 0x0e7a80 });
    this.scanner = new THREE.LineSegments(frustum(range.best), teal);
    this.scanner.matrixAutoUpdate = false;
    this.scanner.visible = false;
    this.trail = new THREE.Line(new THREE.BufferGeometry(), teal);
    this.stands = new THREE.LineSegments(new THREE.BufferGeometry(), new THREE.LineBasicMaterial({ color: 0xb4690e }));
    this.stands.frustumCulled = false;
    this.trail.frustumCulled = false;
    this.mark = new THREE.LineSegments(
      new THREE.BufferGeometry(),
      new THREE.LineBasicMaterial({ color: 0xd0341f, depthTest: false }),
    );
    this.mark.visible = false;
    this.mark.frustumCulled = false;
    this.scene.add(this.points, this.scanner, this.trail, this.stands, this.mark);
    this.resize = new ResizeObserver(() => this.fitCanvas());
    this.resize.observe(canvas.parentElement ?? canvas);
    this.fitCanvas();
    this.lookFrom(new THREE.Vector3(0, 0, 0));
  }

  dispose(): void {
    this.drawing.dispose();
    clearTimeout(this.fading);
    this.resize.disconnect();
    this.controls.dispose();
    this.points.geometry.dispose();
    this.material.dispose();
    this.renderer.dispose();
  }

  clear(): void {
    this.slots.clear();
    this.vacant.clear();
    this.used = 0;
    this.count = 0;
    this.trailPoints = [];
    this.standPoints = [];
    this.stands.geometry.dispose();
    this.stands.geometry = new THREE.BufferGeometry();
    this.settled = false;
    this.trail.geometry.dispose();
    this.trail.geometry = new THREE.BufferGeometry();
    (this.points.geometry.getAttribute('born') as THREE.BufferAttribute).array.fill(-1);
    this.points.geometry.getAttribute('born').needsUpdate = true;
    this.points.geometry.setDrawRange(0, 0);
    this.scanner.visible = false;
    this.onCount?.(0);
    this.draw();
  }

  /** Takes new splats of some blocks in the place of their old ones. */
  add(patches: SplatPatch[]): void {
    this.lastAdded = performance.now();
    const born = (this.lastAdded - this.begun) / 1000;
    for (const p of patches) {
      const n = p.positions.length / 3;
      let slot = this.slots.get(p.block);
      if (!slot || slot.room < n) {
        if (slot) this.vacate(slot);
        slot = { ...this.place(n), count: 0 };
        this.slots.set(p.block, slot);
      }
      this.write(slot, p, born);
      this.count += n - slot.count;
      slot.count = n;
    }
    const g = this.points.geometry;
    for (const name of ['position', 'splatNormal', 'splatColor', 'born']) g.getAttribute(name).needsUpdate = true;
    this.onCount?.(this.count);
    this.draw();
    // Without new frames the newest still has to fade to its own colour.
    clearTimeout(this.fading);
    this.fading = window.setTimeout(() => this.draw(), 2600);
  }

  setCut(plane: Plane | null, height: number): void {
    const cut = this.material.uniforms.cut.value as THREE.Vector4;
    if (plane) cut.set(...plane.normal, plane.distance + height);
    else cut.set(0, 0, 0, -1);
    this.draw();
  }

  /** Where the object is and which way is up, once it is known. */
  setPlace(plane: Plane | null, middle: [number, number, number]): void {
    this.middle.set(...middle);
    if (plane) this.up.set(...plane.normal);
    this.settled = true;
    this.follow = true;
  }

  /** Width of a splat, mm. */
  setSplatSize(splat: number): void {
    this.splat = splat;
    this.fitCanvas();
  }

  /** Leaves away what is seen from behind, instead of marking it as not scanned yet. */
  hideInside(hide: boolean): void {
    this.material.uniforms.hideInside.value = hide ? 1 : 0;
    this.draw();
  }

  setColor(color: LiveColor): void {
    this.material.uniforms.colorBy.value = { true: 0, shape: 1, distance: 2 }[color];
    this.draw();
  }

  /** Shows the scanner at a pose (column by column). */
  setPose(pose: number[], tracked: boolean): void {
    this.scanner.matrix.fromArray(pose);
    this.scanner.visible = true;
    (this.scanner.material as THREE.LineBasicMaterial).color.set(tracked ? 0x0e7a80 : 0xa33a2a);
    (this.material.uniforms.sensor.value as THREE.Vector3).set(pose[12], pose[13], pose[14]);
    if (tracked) {
      this.trailPoints.push(pose[12], pose[13], pose[14]);
      if (this.trailPoints.length > 9000) this.trailPoints.splice(0, 3000);
      this.trail.geometry.dispose();
      this.trail.geometry = new THREE.BufferGeometry();
      this.trail.geometry.setAttribute('position', new THREE.Float32BufferAttribute(this.trailPoints, 3));
    }
    if (this.follow) this.lookFrom(new THREE.Vector3(pose[12], pose[13], pose[14]));
    this.draw();
  }

  /** Leaves a small outline of the scanner where a frame was kept. */
  addStand(pose: number[]): void {
    const m = new THREE.Matrix4().fromArray(pose);
    const outline = this.scanner.geometry.getAttribute('position') as THREE.BufferAttribute;
    const p = new THREE.Vector3();
    for (let i = 0; i < outline.count; i++) {
      p.fromBufferAttribute(outline, i).multiplyScalar(STAND_SIZE).applyMatrix4(m);
      this.standPoints.push(p.x, p.y, p.z);
    }
    this.stands.geometry.dispose();
    this.stands.geometry = new THREE.BufferGeometry();
    this.stands.geometry.setAttribute('position', new THREE.Float32BufferAttribute(this.standPoints, 3));
    this.draw();
  }

  /** Looks at the place from beside, from so far away, and no longer after the scanner. */
  lookFromAside(distance: number): void {
    this.follow = false;
    const away = new THREE.Vector3(0.8, -0.45, 0.4).normalize().multiplyScalar(distance);
    this.camera.up.copy(this.up);
    this.camera.position.copy(this.middle).add(away);
    this.controls.target.copy(this.middle);
    this.controls.update();
  }

  /** Marks a place with a line towards where its light came from, or nothing. */
  setMark(mark: { place: [number, number, number]; along: readonly number[] } | null): void {
    this.mark.visible = mark !== null;
    if (mark) {
      const [x, y, z] = mark.place;
      const [a, b, c] = mark.along;
      const line = [x, y, z, x - 120 * a, y - 120 * b, z - 120 * c];
      for (let k = 0; k < 3; k++) {
        const arm = [0, 0, 0];
        arm[k] = 5;
        line.push(x - arm[0], y - arm[1], z - arm[2], x + arm[0], y + arm[1], z + arm[2]);
      }
      this.mark.geometry.dispose();
      this.mark.geometry = new THREE.BufferGeometry();
      this.mark.geometry.setAttribute('position', new THREE.Float32BufferAttribute(line, 3));
    }
    this.draw();
  }

  /**
   * Place under a point of the view (-1 to 1, y up): at the depth of the front points near it, so that a gap between
   * points has a place as well. Undefined if no point is near.
   */
  placeAt(x: number, y: number): [number, number, number] | undefined {
    const positions = this.points.geometry.getAttribute('position').array as Float32Array;
    const born = this.points.geometry.getAttribute('born').array as Float32Array;
    const p = new THREE.Vector3();
    let nearest = Infinity;
    let depth = 0;
    for (let i = 0; i < this.used; i++) {
      if (born[i] < 0) continue;
      p.fromArray(positions, 3 * i).project(this.camera);
      const aside = Math.hypot((p.x - x) * this.camera.aspect, p.y - y);
      // A place further in front may lie a little further aside.
      const cost = aside < 0.02 ? p.z - 10 : aside < 0.25 ? aside : Infinity;
      if (cost < nearest) [nearest, depth] = [cost, p.z];
    }
    if (nearest === Infinity) return undefined;
    p.set(x, y, depth).unproject(this.camera);
    return [p.x, p.y, p.z];
  }

  /** Looks over the operator's shoulder again. */
  followScanner(): void {
    this.follow = true;
    this.draw();
  }

  private lookFrom(sensor: THREE.Vector3): void {
    const away = sensor.clone().sub(this.middle);
    const side = away.clone().cross(this.up).normalize();
    this.camera.up.copy(this.up);
    this.camera.position
      .copy(this.middle)
      .addScaledVector(away, 1.2)
      .addScaledVector(side, this.settled ? 0.4 * away.length() : 0)
      .addScaledVector(this.up, this.settled ? 0.3 * away.length() : 0);
    this.controls.target.copy(this.middle);
    this.controls.update();
  }

  private draw(): void {
    this.drawing.request();
  }

  /** While the model grows and drawing is slow, every second splat is drawn, so much the wider. */
  private paint(): void {
    const now = performance.now();
    const { uniforms } = this.material;
    const g = this.points.geometry;
    const half = this.slow && now - this.lastAdded < GROWING;
    if (half && (this.everySecond?.count ?? 0) < this.capacity / 2)
      this.everySecond = new THREE.BufferAttribute(
        Uint32Array.from({ length: this.capacity / 2 }, (_, i) => 2 * i),
        1,
      );
    g.setIndex(half ? this.everySecond! : null);
    g.setDrawRange(0, half ? this.used >> 1 : this.used);
    uniforms.widen.value = half ? 1.6 : 1;
    uniforms.now.value = (now - this.begun) / 1000;
    this.renderer.render(this.scene, this.camera);
  }

  private fitCanvas(): void {
    const host = this.canvas.parentElement ?? this.canvas;
    const { clientWidth: w, clientHeight: h } = host;
    if (w === 0 || h === 0) return;
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    const aside = Math.min(this.covered, w / 3) / 2;
    this.camera.setViewOffset(w, h, -aside, 0, w, h);
    // Diameter of a splat in pixels at 1 mm distance and focal length 1.
    this.material.uniforms.size.value = 0.8 * h * this.renderer.getPixelRatio() * this.splat;
    this.draw();
  }

  private newGeometry(capacity: number): THREE.BufferGeometry {
    const g = new THREE.BufferGeometry();
    g.setAttribute('position', new THREE.BufferAttribute(new Float32Array(3 * capacity), 3));
    // Four bytes where three would do: what is not aligned the driver converts anew at every change, which takes longer
    // than drawing where that is done by software.
    g.setAttribute('splatNormal', new THREE.BufferAttribute(new Int8Array(4 * capacity), 4, true));
    g.setAttribute('splatColor', new THREE.BufferAttribute(new Uint8Array(4 * capacity), 4, true));
    g.setAttribute('born', new THREE.BufferAttribute(new Float32Array(capacity).fill(-1), 1));
    g.setDrawRange(0, 0);
    return g;
  }

  private makeRoom(room: number): void {
    if (this.used + room <= this.capacity) return;
    while (this.used + room > this.capacity) this.capacity *= 2;
    const old = this.points.geometry;
    const next = this.newGeometry(this.capacity);
    for (const name of ['position', 'splatNormal', 'splatColor', 'born'])
      (next.getAttribute(name).array as Float32Array).set(old.getAttribute(name).array);
    this.points.geometry = next;
    old.dispose();
  }

  /** Room for a block of `n` splats and some more: where a block was that has outgrown it, else at the end. */
  private place(n: number): Pick<Slot, 'start' | 'room'> {
    const room = ROOM * Math.ceil((1.2 * n) / ROOM + 0.1);
    const start = this.vacant.get(room)?.pop();
    if (start !== undefined) return { start, room };
    this.makeRoom(room);
    this.used += room;
    return { start: this.used - room, room };
  }

  private vacate(slot: Slot): void {
    this.hide(slot, 0);
    this.count -= slot.count;
    const starts = this.vacant.get(slot.room) ?? [];
    starts.push(slot.start);
    this.vacant.set(slot.room, starts);
  }

  private write(slot: Slot, p: SplatPatch, born: number): void {
    const g = this.points.geometry;
    const age = g.getAttribute('born').array as Float32Array;
    // What was there before keeps its age; what is new in the block stands out.
    const since = slot.count > 0 ? age[slot.start] : born;
    (g.getAttribute('position').array as Float32Array).set(p.positions, 3 * slot.start);
    inFours(p.normals, g.getAttribute('splatNormal').array as Int8Array, slot.start);
    inFours(p.colors, g.getAttribute('splatColor').array as Uint8Array, slot.start);
    age.fill(since, slot.start, slot.start + p.positions.length / 3);
    this.hide(slot, p.positions.length / 3);
  }

  private hide(slot: Slot, from: number): void {
    (this.points.geometry.getAttribute('born').array as Float32Array).fill(
      -1,
      slot.start + from,
      slot.start + slot.room,
    );
  }
}

/** Copies threes into the first three of fours, from the `start`th on. */
function inFours<A extends Int8Array | Uint8Array>(threes: A, fours: A, start: number): void {
  for (let i = 0, to = 4 * start; i < threes.length; i += 3, to += 4) {
    fours[to] = threes[i];
    fours[to + 1] = threes[i + 1];
    fours[to + 2] = threes[i + 2];
  }
}

/** Outline of a hand-held scanner and the corners of what it sees, looking along +Z. */
function frustum(distance: number): THREE.BufferGeometry {
  const d = 0.25 * distance;
  const [x, y] = [0.3 * d, 0.23 * d];
  const corners = [
    [-x, -y],
    [x, -y],
    [x, y],
    [-x, y],
  ];
  const lines: number[] = [];
  corners.forEach(([a, b], i) => {
    const [c, e] = corners[(i + 1) % 4];
    lines.push(0, 0, 0, a, b, d, a, b, d, c, e, d);
  });
  const g = new THREE.BufferGeometry();
  g.setAttribute('position', new THREE.Float32BufferAttribute(lines, 3));
  return g;
}
