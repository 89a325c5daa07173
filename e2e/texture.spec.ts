import { ballFile } from './ball-file.js';
import { depthRoundFile } from './depth-round.mjs';
import { newPiece, panel } from './new-piece.js';
import { expect, test } from './watched-page.js';

/** Colours worked on by hand, and a light model with its maps: what is kept is a step like any other. */

/** Red stripes round the ball's axis on grey, darker towards one side. */
const striped = (x: number, _y: number, z: number): [number, number, number] =>
  Math.sin(14 * z) > 0.4 ? [190, 50, 40] : [Math.round(150 + 50 * x), Math.round(150 + 50 * x), 160];

test('colours are worked on by hand, carried to a light model, and what is lost is looked for again', async ({
  page,
}) => {
  await newPiece(page, 'Striped ball');
  await page.getByRole('link', { name: /^Mend:/ }).click();
  const buffer = ballFile(0, striped);
  await page
    .getByLabel('File of the surface')
    .setInputFiles([{ name: 'ball.ply', mimeType: 'application/octet-stream', buffer }]);
  const result = panel(page, 'Newest result');
  await expect(result).toContainText('triangles brought in');
  await page.getByRole('link', { name: /^Texture:/ }).click();
  const form = page.getByRole('form', { name: 'Colour the surface' });
  await form.getByLabel('Map size', { exact: true }).fill('512');
  await form.getByRole('button', { name: 'Colour the surface' }).click();
  await expect(result).toContainText('512² map', { timeout: 60_000 });
  const canvas = page.locator('canvas').first();
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBeGreaterThan(1000);
  const box = (await canvas.boundingBox())!;
  const middle = { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  const stroke = async (x: number, y: number): Promise<void> => {
    await page.mouse.move(middle.x + x, middle.y + y);
    await page.mouse.down();
    await page.mouse.move(middle.x + x + 40, middle.y + y, { steps: 4 });
    await page.mouse.up();
  };

  const colours = panel(page, 'Colours by hand');
  await colours.getByRole('button', { name: 'Copy', exact: true }).click();
  await expect(page.getByText('Click the place to copy from.')).toBeVisible();
  await page.mouse.click(middle.x - 60, middle.y + 30);
  await stroke(0, 0);
  await expect(colours.getByText('1 stroke not kept yet.')).toBeVisible();
  await colours.getByRole('button', { name: 'Heal', exact: true }).click();
  await stroke(20, 50);
  await expect(colours.getByText('2 strokes not kept yet.')).toBeVisible();
  await colours.getByRole('button', { name: 'Paint', exact: true }).click();
  await colours.getByLabel('Colour', { exact: true }).fill('#00ff00');
  await stroke(-20, -50);
  await expect(colours.getByText('3 strokes not kept yet.')).toBeVisible();
  // What was painted is on the map laid flat: green as nothing else is.
  const flat = colours.getByRole('img', { name: 'The map laid flat' });
  const green = () =>
    flat.evaluate((element) => {
      const map = element as HTMLCanvasElement;
      const { data } = map.getContext('2d')!.getImageData(0, 0, map.width, map.height);
      let count = 0;
      for (let i = 0; i < data.length; i += 4) if (data[i] < 40 && data[i + 1] > 220 && data[i + 2] < 40) count++;
      return count;
    });
  await expect.poll(green).toBeGreaterThan(100);
  await page.keyboard.press('Control+z');
  await expect(colours.getByText('2 strokes not kept yet.')).toBeVisible();
  await expect.poll(green).toBe(0);
  await page.keyboard.press('Control+Shift+z');
  await expect.poll(green).toBeGreaterThan(100);

  // A closed page loses none of it.
  await page.reload();
  await expect(colours.getByText('3 strokes not kept yet.')).toBeVisible();
  await expect.poll(green).toBeGreaterThan(100);
  await colours.getByRole('button', { name: 'Keep as a step' }).click();
  await expect(result).toContainText('3 strokes by hand');
  await expect(colours.getByText('not kept yet')).toHaveCount(0);

  // A light model that looks too near loses detail; the places are listed and looked at again.
  await page.getByRole('button', { name: 'Make a light model' }).click();
  const bake = page.getByRole('form', { name: 'Make a light model' });
  await bake.getByLabel('Triangles', { exact: true }).fill('300');
  await bake.getByLabel('Map size', { exact: true }).fill('256');
  await bake.getByRole('button', { name: 'More settings' }).click();
  await bake.getByLabel('Look for detail within', { exact: true }).fill('0.2');
  await bake.getByRole('button', { name: 'Make a light model' }).click();
  await expect(result).toContainText('300 triangles, 256² maps', { timeout: 60_000 });
  const light = panel(page, 'Light model');
  await expect(light.getByRole('button', { name: /^Light/ })).toHaveAttribute('aria-pressed', 'true');
  await expect.poll(() => canvas.getAttribute('data-triangles').then(Number)).toBe(300);
  const lost = light.getByRole('list', { name: 'Places lost' }).getByRole('listitem');
  await expect(lost.first()).toContainText('Nothing in reach');
  await light.getByLabel('Map shown').selectOption('Height');
  await expect(light.getByRole('img', { name: 'The map: Height' })).toBeVisible();
  await light.getByRole('button', { name: 'Compare with the whole' }).click();
  await expect(page.getByText('Whole', { exact: true })).toBeVisible();
  await light.getByRole('button', { name: 'Compare with the whole' }).click();
  // Each try looks twice as far.
  const farther = light.getByRole('button', { name: /^Look farther/ }).last();
  await expect(light).toContainText('0.200 mm');
  await farther.click();
  await expect(light).toContainText('0.400 mm', { timeout: 60_000 });
  await farther.click();
  await expect(light).toContainText('No detail was lost on the way.', { timeout: 60_000 });

  // Out as a file that brings all of it, and all of it undone.
  await page.getByRole('link', { name: /^Deliver:/ }).click();
  const web = page.getByRole('form', { name: 'For web and phone' });
  if ((await web.count()) === 0) await page.getByRole('button', { name: 'For web and phone' }).click();
  await expect(web.getByLabel('Surface', { exact: true })).toHaveValue('light');
  await web.getByRole('button', { name: 'For web and phone' }).click();
  await expect(result).toContainText('300 triangles, map of 256 pixels');
  await page.getByRole('link', { name: /^Texture:/ }).click();
  for (let tries = 0; tries < 3; tries++)
    await Promise.all([
      page.waitForResponse((r) => r.url().endsWith('/undo')),
      page.getByRole('button', { name: 'Undo' }).click(),
    ]);
  await expect(light).toHaveCount(0);
});

test('which picture coloured what is shown; one is left out here, another everywhere, and the surface coloured anew', async ({
  page,
}) => {
  test.setTimeout(300_000);
  await newPiece(page, 'Jug in twelve pictures');
  await page.getByLabel('Scan files').setInputFiles([depthRoundFile(12, [])]);
  const strands = page.getByRole('complementary', { name: 'Strands' });
  await expect(strands.getByText('jug round', { exact: true })).toBeVisible({ timeout: 240_000 });
  const result = panel(page, 'Newest result');
  // The way to a coloured surface is other tests' matter.
  const steps = `/api/pieces/${/pieces\/([^/]+)/.exec(page.url())![1]}/steps`;
  for (const [operationId, params] of [
    ['clean.support', {}],
    ['register.automatic', {}],
    ['fuse.surface', { voxel: 2 }],
    ['texture.map', { mapSize: 512 }],
  ] as const) {
    const asked = await page.request.post(steps, { data: { operationId, params } });
    expect(asked.ok()).toBe(true);
    const { id } = (await asked.json()) as { id: string };
    const state = async (): Promise<string | undefined> =>
      ((await (await page.request.get(steps)).json()) as { id: string; status: string }[]).find((s) => s.id === id)
        ?.status;
    await expect.poll(state, { timeout: 120_000 }).toBe('done');
  }
  await page.getByRole('link', { name: /^Texture:/ }).click();
  await expect(result).toContainText('512² map from 12 pictures');

  const pictures = panel(page, 'Pictures');
  await pictures.getByRole('checkbox', { name: 'Show which picture coloured what' }).check();
  const listed = pictures.getByRole('list', { name: 'Pictures by share' }).getByRole('listitem');
  await expect(listed).toHaveCount(12);
  await expect(page.getByText('Click a place to see the pictures that show it.')).toBeVisible();
  const box = (await page.locator('canvas').first().boundingBox())!;
  await page.mouse.click(box.x + box.width / 2, box.y + 0.55 * box.height);
  const place = pictures.getByRole('region', { name: 'The place' });
  await expect(place.getByText(/^Coloured by/)).toBeVisible();
  const seen = place.getByRole('img');
  await expect(seen.first()).toBeVisible();
  const own = (await place.locator('b').first().textContent())!;
  await place.getByRole('button', { name: `Not ${own} here` }).click();
  const asked = pictures.getByRole('list', { name: 'Asked of pictures' }).getByRole('listitem');
  await expect(asked).toHaveText([`Not ${own}, within 8 mm of a place`]);
  await listed
    .getByRole('button', { name: /^Leave .* out$/ })
    .last()
    .click();
  await expect(asked).toHaveCount(2);
  await pictures.getByRole('button', { name: 'Colour anew' }).click();
  await expect(result).toContainText('512² map from 11 pictures', { timeout: 240_000 });
  // What was asked belongs to the step; nothing is left to do, and undo brings the pictures back.
  await expect(pictures.getByRole('button', { name: 'Colour anew' })).toHaveCount(0);
  await expect(listed).toHaveCount(11);
  await expect(asked).toHaveCount(2);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(listed).toHaveCount(12);
});
