import type { NormalMesh, TriangleMesh } from '../geometry/triangle-mesh.js';
import { cross3, normalize3, type Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import type { CoarsePicture } from './coarse-picture.js';
import { sensorDistances, type FrameView } from './frame-views.js';
import { ROOM_TERMS, type LightModel, type RoomLamp } from './light-model.js';
import { ShadowPicture, upFor } from './shadow-picture.js';
import { LightSolver } from './solve-light.js';
import { sampleViews, type ViewSamples } from './view-samples.js';

export interface LightFit {
  /** All that was found; exposure and white balance alone where the views don't tell light from paint. */
  model: LightModel;
  /** Exposure and white balance alone. */
  even: LightModel;
  /** Whether the views tell light from paint. */
  told: boolean;
  /** Median misfit of what two views see of one place once all is taken into account, logarithm of light. */
  misfit: number;
}

/** Places that the light is solved by, and those that the lamps are looked for by: fewer the more rooms there are. */
const PLACES = 4000;
const LAMP_PLACES = 3000;
/** With fewer than these no lamp is looked for. */
const ENOUGH_PLACES = 120;
/** Light is told from paint if the views differ by so much less with it than without, share of the cost. */
const DEMANDED = 0.12;
/** The search for a lamp goes by these angles, radians. */
const LAMP_STEPS = [0.4, 0.16, 0.06];
/** A lamp is kept if it takes this share of the cost away. */
const WORTH = 0.001;
/** A lamp is given up if the cost, not quite settled, is so many times that without it. */
const HOPELESS = 1.05;

/**
 * The light of each room and each view's exposure and white balance, see `LightSolver`. A room's lamp is looked for where most of
 * its light comes from, with the shadows it would cast.
 * @param caster what casts shadows: the mesh, or a lighter one of the same shape
 */
export function fitLight(
  mesh: NormalMesh,
  views: readonly FrameView[],
  pictures: readonly CoarsePicture[],
  caster: TriangleMesh,
  ctx: RunContext,
): LightFit {
  const rooms = views.map((v) => v.room);
  const count = Math.max(0, ...rooms) + 1;
  const reach = sensorDistances(mesh, views)[views.length >> 1] || 1;
  const lamps: (RoomLamp | undefined)[] = new Array(count).fill(undefined);
  const few = sampleViews(mesh, views, pictures, lampPlaces(count), reach, 2);
  if (few.places >= ENOUGH_PLACES) findLamps(mesh, caster, few, rooms, lamps, ctx.part(0, 0.7));
  const samples = sampleViews(mesh, views, pictures, PLACES, reach);
  const gains = new LightSolver(samples, rooms, false);
  const lit = new LightSolver(samples, rooms, true);
  lamps.forEach((lamp, room) => {
    if (lamp) lit.setLamp(room, lampAt(samples, mesh, new ShadowPicture(caster, lamp.direction)));
  });
  const gainsCost = samples.places > 0 ? gains.solve() : 0;
  // Light that stays where it is on the body can't be told from paint: it is left to the paint.
  const told = samples.places > 0 && lit.solve() < (1 - DEMANDED) * gainsCost;
  ctx.checkpoint(1);
  const even = modelOf(gains, rooms, reach, new Array<undefined>(count).fill(undefined));
  return told
    ? { told, model: modelOf(lit, rooms, reach, lamps), even, misfit: lit.misfit() }
    : { told, model: even, even, misfit: gains.misfit() };
}

/** What a solver has found, three channels together. */
function modelOf(solver: LightSolver, rooms: readonly number[], reach: number, lamps: LightModel['lamps']): LightModel {
  const k = rooms.length;
  const count = ROOM_TERMS * lamps.length;
  const gains = new Float64Array(3 * k);
  const terms = new Float64Array(3 * count);
  for (let c = 0; c < 3; c++) {
    const columns = solver.columns[c];
    for (let i = 0; i < k; i++) gains[3 * i + c] = Math.exp(columns[i]);
    for (let j = 0; j < count; j++) terms[3 * j + c] = columns[k + j];
  }
  const sensor = Float64Array.from(solver.columns, (columns) => columns[k + count]);
  return { gains, rooms: terms, sensor, reach, lamps };
}

/** A round costs more the more rooms are solved, and there is one lamp a room to look for. */
function lampPlaces(rooms: number): number {
  return LAMP_PLACES / Math.max(2, rooms) / Math.sqrt(Math.max(2, rooms) / 2);
}

/** Looks for each room's lamp, starting where most of its light comes from, by ever smaller steps. */
function findLamps(
  mesh: NormalMesh,
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
      solver.setLamp(room, lampAt(samples, mesh, new ShadowPicture(caster, direction)));
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
      solver.setLamp(room, lampAt(samples, mesh, shadows));
      const settled = solver.rounds(10);
      if (settled < (1 - WORTH) * cost && solver.lampOf(room) > 0.05) {
        lamps[room] = shadows.lampOn(mesh.positions);
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
  const u = normalize3(cross3(upFor(d), d));
  return [u, cross3(d, u)];
}

/** What of a lamp falls on each place. */
function lampAt(samples: ViewSamples, mesh: NormalMesh, shadows: ShadowPicture): Float32Array {
  const { positions: p, normals: n } = mesh;
  const d = shadows.direction;
  return Float32Array.from(samples.vertex, (v) => {
    const facing = n[3 * v] * d[0] + n[3 * v + 1] * d[1] + n[3 * v + 2] * d[2];
    return facing > 0 ? facing * shadows.litAt(p[3 * v], p[3 * v + 1], p[3 * v + 2]) : 0;
  });
}
