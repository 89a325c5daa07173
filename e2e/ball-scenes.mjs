/**
 * Scans of a ball in front of a board, as a depth camera 300 mm away sees them: red above, blue below, with 40 stray
 * points in the air above and a crumb beside. Made for trying the selecting tools: it is known what belongs to what.
 */
const RADIUS = 40;
const BOARD_Z = 345;
const STRAYS = 40;
const CRUMB = 60;

/** Deterministic numbers from 0 to 1 (a linear congruential generator; constants of Numerical Recipes, 1992). */
function randomFrom(seed) {
  let s = seed >>> 0;
  return () => (s = (Math.imul(s, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

function scene(seed) {
  const random = randomFrom(seed);
  const noise = () => 0.1 * (random() + random() - 1);
  const rows = [];
  const counts = { ball: 0, board: 0, strays: STRAYS, crumb: CRUMB };
  for (let x = -110; x <= 110; x += 1.6) {
    for (let y = -80; y <= 80; y += 1.6) {
      const inside = RADIUS ** 2 - x * x - y * y;
      if (inside > 300) {
        rows.push([x, y, 305 - Math.sqrt(inside) + noise(), ...(y < 0 ? [190, 50, 40] : [40, 60, 180])]);
        counts.ball++;
      } else if (inside < -60) {
        rows.push([x, y, BOARD_Z + noise(), 120, 105, 90]);
        counts.board++;
      }
    }
  }
  for (let k = 0; k < STRAYS; k++)
    rows.push([160 * random() - 80, -45 - 30 * random(), 180 + 40 * random(), 230, 230, 230]);
  for (let k = 0; k < CRUMB; k++) rows.push([90 + 3 * random(), -60 + 3 * random(), 290 + 3 * random(), 230, 200, 60]);
  return { rows, counts };
}

export const BALL_SCENE = scene(1).counts;

export function ballSceneFiles(count, lastScale = 1) {
  return Array.from({ length: count }, (_, i) => {
    const times = i === count - 1 ? lastScale : 1;
    const rows = scene(i + 1).rows.map(([x, y, z, ...rgb]) => [times * x, times * y, times * z, ...rgb]);
    const head = ['ply', 'format ascii 1.0', `element vertex ${rows.length}`];
    for (const p of ['x', 'y', 'z']) head.push(`property float ${p}`);
    for (const p of ['red', 'green', 'blue']) head.push(`property uchar ${p}`);
    const lines = rows.map(([x, y, z, r, g, b]) => `${x.toFixed(3)} ${y.toFixed(3)} ${z.toFixed(3)} ${r} ${g} ${b}`);
    const text = [...head, 'end_header', ...lines, ''].join('\n');
    return { name: `view_${i + 1}.ply`, mimeType: 'application/octet-stream', buffer: Buffer.from(text) };
  });
}
