import { judgeFrames } from '@amber-knit/core/frames';
import type { DepthFrame } from '@amber-knit/core/geometry';
import { createRandom, fromTwist, gaussian, multiply, transformPoint, type Vec3 } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { captureFrame, UPRIGHT } from '@amber-knit/demo';
import { camera, heldPose, jugOnTable } from './hand-held.js';

const FRAMES = 120;
/** Share of the frames that are put out of place. */
const PLANTED = 0.05;
const MIDDLE: Vec3 = [0, 0, 74];

/**
 * Puts 5 % of the frames of a round about the jug out of place, by so many mm and degrees in a direction at random, and
 * prints how many of them are proposed as misaligned, and how many others.
 */
export function misalignedTrial(seeds: number): void {
  const { scene } = jugOnTable(UPRIGHT);
  const sizes = [
    [1, 0.5],
    [2, 1],
    [4, 2],
  ] as const;
  const totals = sizes.map(() => ({ found: 0, planted: 0, wrong: 0, right: 0 }));
  for (let seed = 1; seed <= seeds; seed++) {
    const random = createRandom(seed);
    const straight = Array.from({ length: FRAMES }, (_, k): DepthFrame => {
      const around = (2 * Math.PI * k * 1.03) / FRAMES;
      const pose = heldPose(around, ((24 + 12 * Math.sin(2 * around)) * Math.PI) / 180, 1, random);
      return { ...captureFrame(scene, pose, camera, random, `frame ${k}`), scanFromSensor: pose };
    });
    sizes.forEach(([mm, degrees], s) => {
      const bad = new Set<number>();
      while (bad.size < PLANTED * FRAMES) bad.add(Math.floor(random() * FRAMES));
      const frames = straight.map((f, k) =>
        bad.has(k) ? { ...f, scanFromSensor: multiply(knock(mm, degrees, random), f.scanFromSensor) } : f,
      );
      const { faults } = judgeFrames(frames, createRunContext());
      faults.forEach((f, k) => {
        const proposed = f.includes('misaligned');
        if (bad.has(k)) totals[s].planted++;
        else totals[s].right++;
        if (proposed && bad.has(k)) totals[s].found++;
        if (proposed && !bad.has(k)) totals[s].wrong++;
      });
    });
  }
  sizes.forEach(([mm, degrees], s) => {
    const { found, planted, wrong, right } = totals[s];
    console.log(
      `off by ${mm} mm and ${degrees}°: ${found} of ${planted} proposed (${((100 * found) / planted).toFixed(1)} %), ` +
        `${wrong} of ${right} others (${((100 * wrong) / right).toFixed(2)} %)`,
    );
  });
}

/** A shift and a turn about the object's middle, in directions at random. */
function knock(mm: number, degrees: number, random: () => number) {
  const direction = (): Vec3 => {
    const v = [0, 1, 2].map(() => gaussian(random)) as Vec3;
    const l = Math.hypot(...v);
    return v.map((c) => c / l) as Vec3;
  };
  const turn = direction().map((c) => (c * degrees * Math.PI) / 180) as Vec3;
  const shift = direction().map((c) => c * mm) as Vec3;
  const spin = fromTwist(...turn, 0, 0, 0);
  const moved = transformPoint(spin, ...MIDDLE);
  const back = fromTwist(0, 0, 0, ...(MIDDLE.map((v, k) => v - moved[k] + shift[k]) as Vec3));
  return multiply(back, spin);
}
