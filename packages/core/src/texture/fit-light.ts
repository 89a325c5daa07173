import { boundsOf } from '../geometry/point-cloud.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { invertRigid, lookAt, normalize3, type Mat4, type Vec3 } from '../math/mat4.js';
import { rasterizeDepth } from '../mesh/rasterize.js';
import type { RunContext } from '../runtime/run-context.js';
import type { CoarsePicture } from './coarse-picture.js';
import type { FrameView } from './frame-views.js';
import { ROOM_TERMS, type LightModel, type RoomLamp } from './light-model.js';
import { LightSolver } from './solve-light.js';
import { sampleViews, type ViewSamples } from './view-samples.js';

export interface LightFit {
  model: LightModel;
  /** Whether the views tell light from paint; otherwise the model has exposure and white balance alone. */
  told: boolean;
  /** Median misfit of what two views see of one place once all is taken into account, logarithm of light. */
  misfit: number;
}

/** Places that the light is solved by, and those that the lamps are looked for by: fewer the more rooms there are. */
const PLACES = 4000;
const LAMP_PLACES = 3000;
/** Light is told from paint if the views differ by so much less with it than without, share of the cost. */
const DEMANDED = 0.12;
/** The search for a lamp goes by these angles, radians. */
const LAMP_STEPS = [0.4, 0.16, 0.06];
/** A lamp is kept if it takes this share of the cost away. */
const WORTH = 0.001;
/** A lamp is given up if the cost, not quite settled, is so many times that without it. */
const HOPELESS = 1.05;
const SHADOW_SIZE = 700;

/**
 * The light of each room and each view's exposure and white balance, see `LightSolver`. A room's lamp is looked for where most of
 * its light comes from, with the shadows it would cast.
 * @param caster what casts shadows: the mesh, or a lighter one of the same shape
 * @param light false: exposure and white balance alone
 */
export function fitLight(
  mesh: TriangleMesh,
  normals: Float32Array,
  views: readonly FrameView[],
  pictures: readonly CoarsePicture[],
  caster: TriangleMesh,
  light: boolean,
  ctx: RunContext,
): LightFit {
  const rooms = views.map((v) => v.room);
  const count = Math.max(0, ...rooms) + 1;
  const reach = usualDistance(mesh, views);
  const lamps: (RoomLamp | undefined)[] = new Array(count).fill(undefined);
  if (light) {
    const few = sampleViews(mesh, normals, views, pictures, lampPlaces(count), reach, 2);
    if (few.places > 0) findLamps(mesh.positions, normals, caster, few, rooms, lamps, ctx.part(0, 0.7));
  }
  const samples = sampleViews(mesh, normals, views, pictures, PLACES, reach);
  const even = new LightSolver(samples, rooms, false);
  const evenCost = samples.places > 0 ? even.solve() : 0;
  let solver = even;
  if (light && samples.places > 0) {
    const lit = new LightSolver(samples, rooms, true);
    lamps.forEach((lamp, room) => {
      if (lamp) lit.setLamp(room, lampAt(samples, mesh.positions, normals, new ShadowPicture(caster, lamp.direction)));
    });
    // Light that stays where it is on the body can't be told from paint: it is left to the paint.
    if (lit.solve() < (1 - DEMANDED) * evenCost) solver = lit;
  }
  if (solver === even) lamps.fill(undefined);
  ctx.checkpoint(1);
  const k = views.length;
  const gains = new Float64Array(3 * k);
  const terms = new Float64Array(3 * ROOM_TERMS * count);
  for (let c = 0; c < 3; c++) {
    const columns = solver.columns[c];
    for (let i = 0; i < k; i++) gains[3 * i + c] = Math.exp(columns[i]);
    for (let j = 0; j < ROOM_TERMS * count; j++) terms[3 * j + c] = columns[k + j];
  }
  const sensor = Float64Array.from([0, 1, 2], (c) => solver.columns[c][k + ROOM_TERMS * count]);
  return { told: solver !== even, model: { gains, rooms: terms, sensor, reach, lamps }, misfit: solver.misfit() };
}

/** A round costs more the more rooms are solved, and there is one lamp a room to look for. */
function lampPlaces(rooms: number): number {
  return LAMP_PLACES / Math.max(2, rooms) / Math.sqrt(Math.max(2, rooms) / 2);
}

function usualDistance(mesh: TriangleMesh, views: readonly FrameView[]): number {
  const { min, max } = boundsOf(mesh.positions);
  const middle = min.map((v, k) => (v + max[k]) / 2);
  const all = views.map(({ sensorFromPiece: m }) =>
    Math.hypot(...[0, 1, 2].map((k) => m[k] * middle[0] + m[4 + k] * middle[1] + m[8 + k] * middle[2] + m[12 + k])),
  );
  return all.sort((a, b) => a - b)[Math.floor(all.length / 2)] || 1;
}

/** Looks for each room's lamp, starting where most of its light comes from, by ever smaller steps. */
function findLamps(
  positions: Float32Array,
  normals: Float32Array,
  caster: TriangleMesh,
  samples: ViewSamples,
  rooms: readonly number[],
  lamps: (RoomLamp | undefined)[],
  ctx: RunContext,
): void {
  const solver = new LightSolver(samples, rooms, true);
  let cost = solver.solve();
  for (let room = 0; room < lamps.length; room++) {
    ctx.checkpoint(room / lamps.length);
    const main = solver.mainDirection(room);
    if (Math.hypot(...main) < 0.05) continue;
    const before = solver.snapshot();
    const none = new Float32Array(samples.places);
    let best: { direction: Vec3; cost: number; state: ReturnType<LightSolver['snapshot']> } | undefined;
    const look = (direction: Vec3): boolean => {
      solver.restore(best?.state ?? before);
      solver.setLamp(room, lampAt(samples, positions, normals, new ShadowPicture(caster, direction)));
      const found = solver.rounds(4, 1.5);
      if (found >= (best?.cost ?? Infinity)) return false;
      best = { direction, cost: found, state: solver.snapshot() };
      return true;
    };
    look(normalize3(main));
    for (const step of LAMP_STEPS) {
      // Much worse that way and around it: there is none.
      if (step < LAMP_STEPS[0] && best!.cost > HOPELESS * cost) break;
      for (let again = 0; again < 2; again++) {
        const from = best!.direction;
        const [u, v] = across(from);
        let better = false;
        for (let a = 0; a < 4; a++) {
          const [s, t] = [step * Math.cos((a * Math.PI) / 2), step * Math.sin((a * Math.PI) / 2)];
          better = look(normalize3([0, 1, 2].map((k) => from[k] + s * u[k] + t * v[k]) as Vec3)) || better;
        }
        if (!better) break;
      }
    }
    if (best && best.cost < HOPELESS * cost) {
      solver.restore(best.state);
      const shadows = new ShadowPicture(caster, best.direction);
      solver.setLamp(room, lampAt(samples, positions, normals, shadows));
      const settled = solver.rounds(10);
      if (settled < (1 - WORTH) * cost && solver.lampOf(room) > 0.05) {
        lamps[room] = shadows.lampOn(positions);
        cost = settled;
        continue;
      }
    }
    solver.restore(before);
    solver.setLamp(room, none);
  }
}

/** Two directions across a unit one, and across each other. */
function across(d: Vec3): [Vec3, Vec3] {
  const up: Vec3 = Math.abs(d[2]) < 0.9 ? [0, 0, 1] : [0, 1, 0];
  const u = normalize3([up[1] * d[2] - up[2] * d[1], up[2] * d[0] - up[0] * d[2], up[0] * d[1] - up[1] * d[0]]);
  return [u, [d[1] * u[2] - d[2] * u[1], d[2] * u[0] - d[0] * u[2], d[0] * u[1] - d[1] * u[0]]];
}

/** What of a lamp falls on each place. */
function lampAt(
  samples: ViewSamples,
  positions: Float32Array,
  normals: Float32Array,
  shadows: ShadowPicture,
): Float32Array {
  const { direction } = shadows;
  return Float32Array.from(samples.vertex, (v) => {
    const facing =
      normals[3 * v] * direction[0] + normals[3 * v + 1] * direction[1] + normals[3 * v + 2] * direction[2];
    return facing > 0 ? facing * shadows.litAt(positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]) : 0;
  });
}

/**
 * The depths that a lamp far away sees: what lies deeper is in the shadow.
 * Source: L. Williams (1978), Casting curved shadows on curved surfaces.
 */
class ShadowPicture {
  readonly direction: Vec3;
  private readonly depth: Float32Array;
  private readonly sensorFromPiece: Mat4;
  private readonly focal: number;
  private readonly slack: number;

  constructor(caster: TriangleMesh, towards: Vec3) {
    const { min, max } = boundsOf(caster.positions);
    const middle = min.map((v, k) => (v + max[k]) / 2) as Vec3;
    const radius = Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]) / 2 || 1;
    const far = 40 * radius;
    const d = normalize3(towards);
    const eye = middle.map((c, k) => c + far * d[k]) as Vec3;
    const f = (0.48 * SHADOW_SIZE * far) / radius;
    const half = SHADOW_SIZE / 2;
    this.direction = d;
    this.focal = f;
    this.slack = 0.02 * radius;
    this.sensorFromPiece = invertRigid(lookAt(eye, middle, Math.abs(d[2]) < 0.9 ? [0, 0, 1] : [0, 1, 0]));
    const camera = { width: SHADOW_SIZE, height: SHADOW_SIZE, fx: f, fy: f, cx: half, cy: half };
    this.depth = rasterizeDepth(caster, this.sensorFromPiece, camera).depth;
  }

  /** How much of the lamp a place sees, 0–1: nine looks into the picture. */
  litAt(x: number, y: number, z: number): number {
    const m = this.sensorFromPiece;
    const d = m[2] * x + m[6] * y + m[10] * z + m[14];
    const u = Math.round((this.focal * (m[0] * x + m[4] * y + m[8] * z + m[12])) / d + SHADOW_SIZE / 2);
    const v = Math.round((this.focal * (m[1] * x + m[5] * y + m[9] * z + m[13])) / d + SHADOW_SIZE / 2);
    let free = 0;
    for (let dv = -1; dv <= 1; dv++) {
      for (let du = -1; du <= 1; du++) {
        const first = this.depth[(v + dv) * SHADOW_SIZE + u + du];
        if (!(first > 0) || first > d - this.slack) free++;
      }
    }
    return free / 9;
  }

  /** The lamp, with what each vertex sees of it. */
  lampOn(positions: Float32Array): RoomLamp {
    const lit = new Uint8Array(positions.length / 3);
    for (let v = 0; v < lit.length; v++)
      lit[v] = Math.round(255 * this.litAt(positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]));
    return { direction: this.direction, lit };
  }
}
