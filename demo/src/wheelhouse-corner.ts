import type { TriangleMesh } from '@amber-knit/core/geometry';
import {
  fromAxisAngle,
  fromTranslation,
  invertRigid,
  multiply,
  transformPoint,
  transformPoints,
} from '@amber-knit/core/math';
import { handWheel } from './hand-wheel.js';
import { glossy, type Material } from './material.js';
import { bar, box, faceted, joinMeshes } from './scene-parts.js';
import { noise } from './shaping.js';
import type { SimulatedScene } from './surface-seen.js';
import { truthMesh } from './truth-mesh.js';

type Rgb = [number, number, number];
type Paint = (x: number, y: number, z: number) => Rgb;

/** Half the floor's edge; the walls stand at -ROOM. */
const ROOM = 700;
/** Finish of most things in it. */
const DULL = glossy(0.02);
const HIGH = 1150;

/** Boards as wide as `width` along a coordinate, each a little different, with grain. */
const boards =
  (base: Rgb, width: number, along: 0 | 1 | 2, across: 0 | 1 | 2): Paint =>
  (...p) => {
    const k = Math.floor((p[along] + 2000) / width);
    const groove = (p[along] + 2000) / width - k < 5 / width ? -38 : 0;
    const grain = 34 * (noise(p[along] / 9, p[across] / 60, 3 * k) - 0.5) + 9 * ((k * 7) % 3) + groove;
    return base.map((c) => Math.max(0, Math.min(255, c + grain))) as Rgb;
  };

const mottled =
  (base: Rgb, size: number, spread: number): Paint =>
  (x, y, z) => {
    const g = spread * (noise(x / size, y / size, z / size) - 0.5);
    return base.map((c) => Math.max(0, Math.min(255, c + g))) as Rgb;
  };

/**
 * A corner of the ferry's wheelhouse: two boarded walls, a plank floor, a shelf with a tin and the hand wheel on it,
 * two pipes with a clamp, a locker. Z up, the floor at 0, walls at x = -700 and y = -700.
 */
export function wheelhouseCorner(): { scene: SimulatedScene; middle: number } {
  const wheelMesh = truthMesh(handWheel, 3);
  // Leans on the wall, upon the shelf.
  const worldFromWheel = multiply(
    fromTranslation(-ROOM + 40, -60, 700),
    multiply(fromAxisAngle([0, 1, 0], 1.35), fromAxisAngle([0, 0, 1], 0.5)),
  );
  const wheelFromWorld = invertRigid(worldFromWheel);
  const cream = boards([206, 196, 170], 92, 1, 2);
  const creamToo = boards([200, 190, 164], 92, 0, 2);
  const parts: { mesh: TriangleMesh; paint: Paint; material?: Material }[] = [
    { mesh: faceted(box([-ROOM, -ROOM, -20], [ROOM, ROOM, 0])), paint: boards([128, 100, 74], 105, 0, 1) },
    { mesh: faceted(box([-ROOM - 20, -ROOM, 0], [-ROOM, ROOM, HIGH])), paint: cream },
    { mesh: faceted(box([-ROOM, -ROOM - 20, 0], [ROOM, -ROOM, HIGH])), paint: creamToo },
    // Skirting and a rail along both walls.
    { mesh: faceted(box([-ROOM, -ROOM, 0], [-ROOM + 18, ROOM, 90])), paint: boards([60, 92, 88], 400, 1, 2) },
    { mesh: faceted(box([-ROOM, -ROOM, 0], [ROOM, -ROOM + 18, 90])), paint: boards([60, 92, 88], 400, 0, 2) },
    { mesh: faceted(box([-ROOM, -ROOM, 880], [ROOM, -ROOM + 30, 930])), paint: boards([60, 92, 88], 300, 0, 2) },
    // The shelf on two brackets.
    { mesh: faceted(box([-ROOM, -330, 590], [-ROOM + 210, 300, 615])), paint: boards([150, 112, 70], 70, 0, 1) },
    { mesh: faceted(box([-ROOM, -280, 470], [-ROOM + 150, -256, 590])), paint: mottled([52, 54, 58], 12, 20) },
    { mesh: faceted(box([-ROOM, 226, 470], [-ROOM + 150, 250, 590])), paint: mottled([52, 54, 58], 12, 20) },
    // A tin and a box of screws.
    { mesh: bar([-ROOM + 110, 200, 615], 2, 120, 48), paint: mottled([176, 60, 44], 20, 50) },
    { mesh: faceted(box([-ROOM + 40, -290, 615], [-ROOM + 170, -200, 690])), paint: mottled([196, 170, 96], 15, 60) },
    // Pipes along the other wall, with clamps, and one upright in the corner.
    {
      mesh: bar([-ROOM, -ROOM + 70, 700], 0, 2 * ROOM, 27),
      paint: mottled([112, 116, 122], 30, 40),
      material: glossy(0.2),
    },
    {
      mesh: bar([-ROOM, -ROOM + 62, 780], 0, 2 * ROOM, 19),
      paint: mottled([158, 98, 62], 25, 50),
      material: glossy(0.2),
    },
    { mesh: faceted(box([80, -ROOM, 655], [125, -ROOM + 105, 815])), paint: mottled([70, 74, 80], 12, 30) },
    { mesh: bar([-ROOM + 90, -ROOM + 90, 0], 2, HIGH, 40), paint: mottled([120, 124, 120], 30, 50) },
    // The locker on the floor.
    { mesh: faceted(box([60, -ROOM, 0], [560, -ROOM + 330, 400])), paint: boards([84, 110, 104], 110, 0, 2) },
    { mesh: faceted(box([40, -ROOM, 400], [580, -ROOM + 350, 425])), paint: boards([140, 108, 72], 90, 0, 1) },
    { mesh: bar([310, -ROOM + 345, 250], 1, 40, 14), paint: mottled([180, 150, 80], 10, 20) },
    {
      mesh: { positions: transformPoints(worldFromWheel, wheelMesh.positions), indices: wheelMesh.indices },
      paint: (x, y, z) => {
        const p = transformPoint(wheelFromWorld, x, y, z);
        return handWheel.color(p[0], p[1], p[2]);
      },
      material: handWheel.material(0, 0, 0),
    },
  ];
  const { mesh, starts } = joinMeshes(parts.map((p) => p.mesh));
  const partOf = (t: number): (typeof parts)[number] => {
    let k = starts.length - 1;
    while (starts[k] > t) k--;
    return parts[k];
  };
  return {
    scene: { mesh, material: (t) => partOf(t).material ?? DULL, color: (x, y, z, t) => partOf(t).paint(x, y, z) },
    middle: 480,
  };
}
