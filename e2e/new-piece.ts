import { expect, type Page } from './watched-page.js';

/** A part of the stage's panel, by its heading. */
export const panel = (page: Page, name: string) => page.getByRole('region', { name });

/** Makes a new piece on the shelf, which opens. */
export async function newPiece(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await page.getByRole('button', { name: 'New piece' }).click();
  await page.getByLabel('Name', { exact: true }).fill(name);
  await page.getByRole('button', { name: 'Make it' }).click();
}

/** Makes a new piece of a finished surface, a PLY file. */
export async function newPieceOfSurface(page: Page, name: string, ply: Buffer): Promise<void> {
  await newPiece(page, name);
  await page.getByRole('link', { name: /^Mend:/ }).click();
  await page
    .getByLabel('File of the surface')
    .setInputFiles([{ name: 'bowl.ply', mimeType: 'application/octet-stream', buffer: ply }]);
  await expect(panel(page, 'Newest result')).toContainText('triangles brought in');
}
