import { writePly } from '@amber-knit/core/io';
import { ballFile } from './ball-file.js';
import { newPiece, panel } from './new-piece.js';
import { expect, test, type Page } from './watched-page.js';

/** A piece is put into another scanned place: moved, set down, kept, compared, and the way between looked at. */

/** A board of 400 × 300 mm at z = 0, seen from above, in squares of 20 mm. */
function board(): Buffer {
  const positions: number[] = [];
  const indices: number[] = [];
  for (let j = 0; j <= 15; j++) for (let i = 0; i <= 20; i++) positions.push(20 * i - 200, 20 * j - 150, 0);
  for (let j = 0; j < 15; j++)
    for (let i = 0; i < 20; i++) {
      const a = 21 * j + i;
      indices.push(a, a + 1, a + 22, a, a + 22, a + 21);
    }
  return Buffer.from(writePly({ positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }));
}

async function bringIn(page: Page, name: string, buffer: Buffer): Promise<void> {
  await newPiece(page, name);
  await page.getByRole('link', { name: /^Mend:/ }).click();
  await page
    .getByLabel('File of the surface')
    .setInputFiles([{ name: `${name}.ply`, mimeType: 'application/octet-stream', buffer }]);
  await expect(panel(page, 'Newest result')).toContainText('triangles brought in');
}

test('a ball is set down on a board of another piece, kept twice, and the way between is looked at', async ({
  page,
}) => {
  await bringIn(page, 'Board to stand on', board());
  await bringIn(page, 'Ball to place', ballFile(0));
  await page.getByRole('link', { name: /^Check/ }).click();
  const place = panel(page, 'In another place');
  await place.getByRole('button', { name: /In the place of a piece/ }).click();
  await page.getByRole('menuitem', { name: 'Board to stand on' }).first().click();
  await expect(place.getByText('In Board to stand on')).toBeVisible();
  await place.getByRole('button', { name: 'Place it' }).click();
  const how = place.getByRole('status', { name: 'How it lies' });
  // The ball of 30 mm begins above the board, by half its box's diagonal.
  await expect(how).toContainText(/Clear.*Clearance\s*21\.9\d mm/);
  const z = place.getByRole('spinbutton', { name: 'Middle, Z' });
  await z.fill('25');
  await expect(how).toContainText(/Clash.*Depth\s*5\.0\d mm/);
  await expect(page.getByRole('figure', { name: 'Depth of the clash' })).toBeVisible();
  await page.keyboard.press('Tab');
  await page.locator('canvas').first().focus();
  await page.keyboard.press('Control+z');
  await expect(how).toContainText('Clear');

  // By a handle: with the keys, and with the pointer.
  const handle = page.getByRole('button', { name: /^Move along Z/ });
  await handle.focus();
  await page.keyboard.press('Shift+ArrowUp');
  await expect(how).toContainText(/Clearance\s*31\.9\d mm/);
  const knob = (await handle.boundingBox())!;
  await page.mouse.move(knob.x + knob.width / 2, knob.y + knob.height / 2);
  await page.mouse.down();
  await page.mouse.move(knob.x + knob.width / 2, knob.y + knob.height / 2 - 60, { steps: 5 });
  await page.mouse.up();
  await expect.poll(() => z.inputValue().then(Number)).toBeGreaterThan(70);

  await place.getByRole('button', { name: 'Set down' }).click();
  const canvas = (await page.locator('canvas').first().boundingBox())!;
  // Somewhere on the board, beside the ball: a corner of the picture's middle.
  await page.mouse.click(canvas.x + canvas.width / 2 + 60, canvas.y + canvas.height * 0.62);
  await expect(how).toContainText(/Touching|Clearance\s*0\.00\d mm/);
  await expect.poll(() => z.inputValue().then(Number)).toBeCloseTo(30, 0);
  await place.getByRole('button', { name: 'Keep this placing' }).click();
  await place.getByRole('spinbutton', { name: 'Middle, Z' }).fill('70');
  await place.getByRole('button', { name: 'Keep this placing' }).click();
  const list = place.getByRole('list', { name: 'Placings' }).getByRole('listitem');
  await expect(list).toHaveCount(2);
  await expect(list.nth(1)).toContainText('clear 40.');
  await place.getByLabel('Look at the ways between').check();
  await place.getByRole('button', { name: 'Look now' }).click();
  await expect(place.getByRole('figure', { name: /^Way from Placing 1 to Placing 2: tightest 0\.00/ })).toBeVisible();

  // Undone and redone like every step; on another day it is all there.
  await page.reload();
  await expect(list).toHaveCount(2);
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(place.getByRole('figure', { name: /^Way from/ })).toHaveCount(0);
  await page.getByRole('button', { name: 'Redo' }).click();
  await list
    .nth(1)
    .getByRole('button', { name: /^Placing 2/ })
    .click();
  await expect(how).toContainText(/Clearance\s*40\.0/);
  await place.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByRole('group', { name: 'Handles of the piece' })).toHaveCount(0);
});
