import { writePly } from '@amber-knit/core/io';
import { fromAxisAngle, rotateVectors, transformPoints } from '@amber-knit/core/math';
import { newPiece } from './new-piece.js';
import { expect, test } from './watched-page.js';

/** A model made from pictures has no size: it gets the one at which it fits the scans, and its place. */

/** Balls that run into each other: middle and radius, mm. */
const BALLS = [
  [0, 0, 0, 26],
  [22, 6, 4, 14],
  [-14, 20, 8, 11],
  [4, -20, 16, 12],
  [-8, -6, 26, 10],
  [10, 16, -20, 13],
  [-22, -10, -12, 9],
] as const;

/** Places of the body's surface that face a direction, with their normals. */
function seenFrom(direction: readonly number[], least: number): { positions: Float32Array; normals: Float32Array } {
  const positions: number[] = [];
  const normals: number[] = [];
  for (const [x, y, z, r] of BALLS) {
    const n = Math.round(18 * r * r);
    for (let i = 0; i < n; i++) {
      const h = 1 - (2 * i + 1) / n;
      const around = i * Math.PI * (3 - Math.sqrt(5));
      const d = [Math.sqrt(1 - h * h) * Math.cos(around), Math.sqrt(1 - h * h) * Math.sin(around), h];
      if (d[0] * direction[0] + d[1] * direction[1] + d[2] * direction[2] < least) continue;
      const p = [x + r * d[0], y + r * d[1], z + r * d[2]];
      if (BALLS.some(([a, b, c, s]) => Math.hypot(p[0] - a, p[1] - b, p[2] - c) < s - 1e-6)) continue;
      positions.push(...p);
      normals.push(...d);
    }
  }
  return { positions: Float32Array.from(positions), normals: Float32Array.from(normals) };
}

const file = (name: string, bytes: Uint8Array) => ({
  name,
  mimeType: 'application/octet-stream',
  buffer: Buffer.from(bytes),
});

test('the size of a model from pictures is found, and the model placed', async ({ page }) => {
  test.setTimeout(400_000);
  await newPiece(page, 'Float with a picture model');
  const seen = seenFrom([-0.6, 0.64, 0.48], -0.35);
  const turn = fromAxisAngle([0.6, 0, 0.8], 2.1);
  const pictures = {
    positions: transformPoints(turn, seen.positions).map((v) => 37 * v),
    normals: rotateVectors(turn, seen.normals),
  };
  await page.getByLabel('Scan files').setInputFiles([file('scanned.ply', writePly(seenFrom([1, 0, 0], -0.45)))]);
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText('scanned', { exact: true })).toBeVisible();
  await page.getByLabel('Scan files').setInputFiles([file('pictures.ply', writePly(pictures))]);
  await expect(strands.getByText('pictures', { exact: true })).toBeVisible();

  await page.getByRole('link', { name: /^Register/ }).click();
  await page.getByRole('heading', { name: 'Find the scale' }).getByRole('button').click();
  const form = page.getByRole('form', { name: 'Find the scale' });
  await form.getByRole('button', { name: /^Scans without scale/ }).click();
  await page.getByRole('option', { name: 'pictures' }).click();
  await page.keyboard.press('Escape');
  await form.getByRole('button', { name: 'Find the scale' }).click();
  const result = page.getByRole('region', { name: 'Newest result' });
  await expect(result).toContainText(/pictures × 0\.027\d* ± /, { timeout: 240_000 });
  // It tells nothing of where cameras stood: free space does not rule another place out, so a person decides.
  await page.getByRole('button', { name: 'It belongs where it is' }).click();
  await expect(strands.getByText('registered')).toHaveCount(2);
  // Back before both steps it has its own size again.
  const undo = page.getByRole('button', { name: 'Undo' });
  for (const left of [1, 0]) {
    await undo.click();
    await expect(strands.getByText('registered')).toHaveCount(left);
  }
});
