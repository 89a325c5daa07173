import { MeasuringGround } from '@amber-knit/core/dimensions';
import type { Vec3 } from '@amber-knit/core/math';
import {
  layOn,
  PlacingGround,
  QUICK,
  setDown,
  THOROUGH,
  type FoundPlacing,
  type PickedShape,
} from '@amber-knit/core/placing';
import { answerQuestions } from '../../../shared/asking-worker';
import { held } from '../../../shared/held';
import { streamSurface } from '../../../view/surface-parts';

// A piece in other surroundings, off the page's thread, looked at by what the server looks at it with.

export type ToPlacing = { piece: string; scene: string } & (
  | { ask: 'open' }
  | { ask: 'look'; motion: number[]; thorough: boolean }
  | { ask: 'set-down'; motion: number[]; place: Vec3 }
  | { ask: 'lay-on'; motion: number[]; from: Vec3; to: Vec3 }
);
export type FromPlacing =
  | { middle: Vec3; radius: number; scene: { min: Vec3; max: Vec3 } }
  /** Of a thorough look also how deep each vertex lies within, where it clashes. */
  | { found: FoundPlacing; depths?: Float32Array }
  | { motion: number[] }
  | { failed: string };

interface Ground {
  placing: PlacingGround;
  piece: MeasuringGround;
  scene: MeasuringGround;
  bounds: { min: Vec3; max: Vec3 };
}

async function load(piece: string, scene: string): Promise<Ground> {
  const never = new AbortController().signal;
  const [a, b] = await Promise.all([piece, scene].map((id) => streamSurface(id, never, () => {})));
  return {
    placing: new PlacingGround(a, b),
    piece: new MeasuringGround(a),
    scene: new MeasuringGround(b),
    bounds: { min: b.bounds.min as Vec3, max: b.bounds.max as Vec3 },
  };
}

const groundOf = held(load);

/** The shape around a picked place, with the way outwards there. */
function pickedOn(ground: MeasuringGround, place: Vec3): PickedShape {
  const { fit } = ground.region(place, 'any');
  return { shape: fit.shape, place, outwards: ground.outwards(place) };
}

async function answer(question: ToPlacing): Promise<FromPlacing> {
  const { placing, piece, scene, bounds } = await groundOf(question.piece, question.scene);
  if (question.ask === 'open') return { middle: placing.middle, radius: placing.radius, scene: bounds };
  const motion = Float64Array.from(question.motion);
  if (question.ask === 'look') {
    const found = placing.look(motion, question.thorough ? THOROUGH : QUICK);
    return { found, ...(question.thorough && found.clash ? { depths: placing.depths(motion, found.clash) } : {}) };
  }
  if (question.ask === 'set-down') {
    const lies = setDown(placing, motion, question.place);
    if (!lies) return { failed: 'There is no room for the piece above this place. Click another one.' };
    return { motion: Array.from(lies) };
  }
  const lies = layOn(pickedOn(piece, question.from), pickedOn(scene, question.to), motion);
  return { motion: Array.from(lies) };
}

answerQuestions(answer, (failed): FromPlacing => ({ failed }));
