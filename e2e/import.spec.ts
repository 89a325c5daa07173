import { newPiece } from './new-piece.js';
import { expect, test } from './watched-page.js';
import { zipSync } from 'fflate';
import { writeE57, writeObj, writePly, writeXyz } from '@amber-knit/core/io';
import { fromTranslation } from '@amber-knit/core/math';
import { depthRoundFile } from './depth-round.mjs';

/** A wavy bowl of so many points, in millimetres. */
function bowl(n: number): Float32Array {
  const out = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const z = -(i + 0.5) / n;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z) * 60 * (1 + 0.12 * Math.sin(3 * phi));
    out.set([r * Math.cos(phi), r * Math.sin(phi), 70 * z], 3 * i);
  }
  return out;
}

const positions = bowl(4000);
const file = (name: string, bytes: Uint8Array) => ({
  name,
  mimeType: 'application/octet-stream',
  buffer: Buffer.from(bytes),
});

test('a mixed zip, a doubtful unit, columns put right, a mesh with its picture missing', async ({ page }) => {
  test.setTimeout(600_000);
  await newPiece(page, 'From a folder');
  const strands = page.getByRole('complementary', { name: 'Strands' });
  const e57 = writeE57([
    { name: 'upright', cloud: { positions }, pieceFromScan: fromTranslation(0, 0, 0) },
    { name: 'on its side', cloud: { positions }, pieceFromScan: fromTranslation(40, 0, 0) },
  ]);
  const zip = zipSync({
    'day/both.e57': e57,
    'day/rim.ply': writePly({ positions }),
    'day/letter.doc': new TextEncoder().encode('Dear colleague'),
  });
  await page
    .getByLabel('Scan files')
    .setInputFiles([file('day.zip', zip), file('metres.ply', writePly({ positions: positions.map((v) => v / 1000) }))]);
  await expect(strands.getByText(/^(upright|on its side)$/)).toHaveCount(2, { timeout: 240_000 });
  await expect(strands.getByText('rim', { exact: true })).toBeVisible();
  await expect(strands.getByText(/placed/)).toHaveCount(2);

  // The unit is asked, the likeliest marked; a reload asks again.
  const unit = page.getByRole('alert', { name: 'Unit of metres.ply' });
  await expect(unit).toBeVisible({ timeout: 240_000 });
  await page.reload();
  await expect(unit.getByRole('button', { name: /Metres, likely\s*\d+ mm/ })).toBeVisible({ timeout: 240_000 });
  await unit.getByRole('button', { name: /Metres, likely/ }).click();
  await expect(strands.getByText('metres', { exact: true })).toBeVisible({ timeout: 240_000 });
  await expect(unit).toBeHidden();

  // Text: the columns as they were guessed, put right, and not sent before.
  const text = new TextDecoder().decode(writeXyz({ positions })).replace(/^(\S+) (\S+) (\S+)$/gm, '7 $1 $2 $3');
  await page.getByLabel('Scan files').setInputFiles([file('list.xyz', new TextEncoder().encode(text))]);
  const dialog = page.getByRole('dialog', { name: 'Columns of list.xyz' });
  await expect(dialog.getByRole('combobox')).toHaveCount(4);
  for (const [k, role] of ['-', 'x', 'y', 'z'].entries()) await dialog.getByLabel(`Column ${k + 1}`).selectOption(role);
  await dialog.getByRole('button', { name: 'Bring in' }).click();
  await expect(strands.getByText('list', { exact: true })).toBeVisible({ timeout: 240_000 });
  await expect(page.getByText('Columns taken as: - x y z.')).toBeVisible();

  // A mesh and its materials, dropped together without the picture; something else besides.
  const corners = Uint32Array.from({ length: 3 * 3998 }, (_, i) => Math.floor(i / 3) + (i % 3));
  const obj = new TextDecoder().decode(writeObj({ positions, indices: corners }, 'ear').obj);
  await page
    .getByLabel('Scan files')
    .setInputFiles([
      file('ear.obj', new TextEncoder().encode(`mtllib ear.mtl\n${obj.replace(/^f /m, 'usemtl skin\nf ')}`)),
      file('ear.mtl', new TextEncoder().encode('newmtl skin\nmap_Kd skin.png\n')),
      file('notes.docx', new TextEncoder().encode('x')),
    ]);
  await expect(page.getByText('Left out, of no known kind.')).toBeVisible();
  await page.getByRole('button', { name: 'Dismiss notes.docx' }).click();
  await expect(strands.getByText('ear', { exact: true })).toBeVisible({ timeout: 240_000 });
  await expect(page.getByText(/picture skin\.png is missing/)).toBeVisible();
});

test('a page that is loaded anew while it sends says which file did not arrive; added again it does', async ({
  page,
}) => {
  test.setTimeout(300_000);
  await newPiece(page, 'Loaded anew');
  const chooser = page.getByLabel('Scan files');
  const scan = file('slow.ply', writePly({ positions }));
  // The bytes never arrive.
  await page.route('**/api/uploads/*', (route) =>
    route.request().method() === 'PATCH' ? undefined : route.continue(),
  );
  const sent = page.waitForRequest((r) => r.method() === 'PATCH');
  await chooser.setInputFiles([scan]);
  await sent;
  await expect(page.getByLabel('Sending slow.ply')).toBeVisible();
  await page.reload();
  await page.unrouteAll();
  await expect(page.getByRole('alert').filter({ hasText: 'slow.ply' })).toContainText('before this was all sent');
  await page.getByRole('button', { name: 'Dismiss slow.ply' }).click();
  await page.reload();
  await expect(chooser).toBeAttached();
  await expect(page.getByRole('alert').filter({ hasText: 'slow.ply' })).toBeHidden();
  await chooser.setInputFiles([scan]);
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText('slow', { exact: true })).toHaveCount(1, { timeout: 240_000 });
});

test('a file that was cut off is refused with the reason, and nothing changes', async ({ page }) => {
  test.setTimeout(60_000);
  await newPiece(page, 'A broken scan');
  await page.getByLabel('Scan files').setInputFiles([file('half.ply', writePly({ positions }).subarray(0, 9000))]);
  await expect(page.getByText(/The file ends after \d+ of 4000 elements "vertex"\. It was cut off/)).toBeVisible({
    timeout: 240_000,
  });
  await expect(page.getByText('No scans yet.')).toBeVisible();
});

test('frames out of place are proposed, left out, and come back by undo', async ({ page }) => {
  test.setTimeout(180_000);
  await newPiece(page, 'A round in frames');
  await page.getByLabel('Scan files').setInputFiles([depthRoundFile(24, [7, 15])]);
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText('jug round', { exact: true })).toBeVisible({ timeout: 240_000 });
  await page.getByRole('link', { name: /^Clean/ }).click();
  const panel = page.getByRole('region', { name: 'Frames', exact: true });
  await panel.getByRole('button', { name: 'Open' }).click();
  await expect(panel.getByText('2 frames seem faulty:')).toBeVisible({ timeout: 240_000 });
  // Proposed, not done: they are looked at first, the worst one by one.
  const view = page.getByRole('region', { name: 'Frames of the scan' });
  await view.getByRole('button', { name: 'Next worst' }).click();
  await expect(panel.getByText(/^Frame (8|16): out of place$/)).toBeVisible();
  await panel.getByLabel('Colour its points by frame').check();
  await expect(panel.getByText('Dark: the first frames; light: the last.')).toBeVisible({ timeout: 240_000 });
  await panel.getByLabel('Colour its points by frame').uncheck();
  await expect(
    page.getByRole('complementary', { name: 'Strands' }).getByRole('img', { name: /^Surface seen along the frames/ }),
  ).toHaveCount(1);
  await panel.getByRole('button', { name: 'Leave them all out' }).click();
  await expect(panel.getByText('Nothing is proposed')).toBeVisible();
  const strip = view.getByRole('listbox', { name: 'Frames' });
  await strip.focus();
  await page.keyboard.press('Home');
  // The keyboard leaves a frame out and takes it in.
  await page.keyboard.press('Delete');
  await expect(panel.getByText('21 of 24')).toBeVisible();
  await page.keyboard.press('Delete');
  await expect(panel.getByText('22 of 24')).toBeVisible();
  await panel.getByRole('button', { name: 'Use these frames' }).click();
  await expect(page.getByText(/jug round: 22 of 24 frames used, [\d,]+ points/)).toBeVisible({ timeout: 240_000 });
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(panel.getByText('24 of 24')).toBeVisible({ timeout: 240_000 });
  await page.getByRole('button', { name: 'Redo', exact: true }).click();
  await expect(panel.getByText('22 of 24')).toBeVisible({ timeout: 240_000 });
  await view.getByRole('button', { name: 'Close the frames' }).click();
  await expect(view).toBeHidden();
});
