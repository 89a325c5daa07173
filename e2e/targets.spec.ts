import { readFile } from 'node:fs/promises';
import { unzipSync } from 'fflate';
import { ballFile } from './ball-file.js';
import { newPieceOfSurface, panel } from './new-piece.js';
import { expect, test, type Page } from './watched-page.js';

/** What a result is for: each target says what it needs, one click mends it, and the package is as it promises. */

/** The form of an operation, opened. */
async function formOf(page: Page, title: string) {
  const head = page.getByRole('heading', { name: title, exact: true }).getByRole('button');
  if ((await head.getAttribute('aria-expanded')) === 'false') await head.click();
  return page.getByRole('form', { name: title });
}

test('an open bowl is made fit to print by what its target offers, then packed for a camera and for CAD', async ({
  page,
}) => {
  const bowl = ballFile(12, (x) => [200, 100 + 90 * x, 60]);
  await newPieceOfSurface(page, 'Bowl to deliver', bowl);
  const result = panel(page, 'Newest result');
  await page.getByRole('link', { name: /^Deliver/ }).click();

  const print = await formOf(page, 'For printing');
  const closed = print.getByRole('listitem').filter({ hasText: 'Closed' });
  await expect(closed).toContainText('missing: 1 hole open');
  await closed.getByRole('button', { name: 'Mend', exact: true }).click();
  await expect(closed).toContainText('no rim anywhere');
  const outwards = print.getByRole('listitem').filter({ hasText: 'Faces outwards' });
  await expect(outwards).toContainText('not known');
  await print.getByRole('button', { name: 'Inspect' }).click();
  await expect(outwards).toContainText('looked at');
  await print.getByRole('button', { name: 'For printing' }).click();
  await expect(result).toContainText('ready to print');

  const camera = await formOf(page, 'For recognition by a camera');
  await camera.getByRole('button', { name: 'Set upright' }).click();
  await expect(camera.getByRole('listitem').filter({ hasText: 'Upright' })).toContainText('set upright');
  await camera.getByRole('spinbutton', { name: 'Directions' }).fill('5');
  await camera.getByRole('button', { name: 'For recognition by a camera' }).click();
  await expect(result).toContainText('5 directions');
  const loading = page.waitForEvent('download');
  await result.getByRole('link', { name: 'Download Bowl to deliver-recognition.zip' }).click();
  const files = unzipSync(await readFile(await (await loading).path()));
  expect(Object.keys(files)).toEqual(expect.arrayContaining(['Bowl to deliver.glb', 'object.json', 'views/005.png']));

  const cad = await formOf(page, 'As reference for CAD');
  await cad.getByRole('button', { name: 'As reference for CAD' }).click();
  await expect(result).toContainText(/[1-9]\d* shapes?, [1-9]\d* sections?/);
  // Without a light model nothing is rendered, and what makes one is offered.
  const render = await formOf(page, 'For rendering');
  await expect(render.getByRole('listitem')).toContainText('missing: not made yet');
  await render.getByRole('button', { name: 'For rendering' }).click();
  await expect(page.getByText('There is no light model yet.')).toBeVisible();
});
