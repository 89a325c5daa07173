import { expect, test } from './watched-page.js';
import { CuttableLine } from './cuttable-line.js';

/** Scanning while the line to the server fails: nothing that was captured is lost, and it is said plainly. */

test('frames wait while the server is away and arrive afterwards; a device that goes leaves its frames', async ({
  page,
  baseURL,
}) => {
  const line = await CuttableLine.to(baseURL!);
  const made = await page.request.post('/api/pieces', { data: { name: 'Cut line' } });
  const { id } = (await made.json()) as { id: string };
  await page.goto(`${line.base}/pieces/${id}/bench/capture`);
  await page.getByText('Hand-held structured light').click();
  await page.getByRole('button', { name: 'Connect' }).click();
  await expect(page.getByLabel('Distance to the object')).toContainText('Good distance', { timeout: 240_000 });
  await page.getByRole('button', { name: 'Record' }).click();
  const reading = page.getByLabel('Reading');
  await expect(reading).toContainText('tracked');

  line.cut = ({ method }) => method === 'PUT';
  await page.getByRole('button', { name: 'Go', exact: true }).click();
  await expect(page.getByRole('alert')).toContainText('Frames wait here');
  await expect(reading).toContainText(/[3-9] on their way/, { timeout: 240_000 });
  const captures = async () =>
    (await (await page.request.get(`/api/pieces/${id}/captures`)).json()) as { frames: number }[];
  const before = (await captures())[0].frames;
  line.cut = () => false;
  await expect(reading).toContainText('all stored', { timeout: 240_000 });
  await expect(page.getByText('Frames wait here')).toHaveCount(0);
  const after = (await captures())[0].frames;
  expect(after).toBeGreaterThan(before + 2);

  // No room on the server: said in its words, and the frames wait again.
  line.full = ({ method }) => method === 'PUT';
  await page.getByRole('button', { name: 'Go', exact: true }).click();
  await expect(page.getByRole('alert')).toContainText('disk is full');
  await expect(reading).toContainText(/[3-9] on their way/, { timeout: 240_000 });

  // The device goes while frames wait: both is said, and what waits is not thrown away by taking another device.
  line.breakSockets();
  await expect(page.getByText('The connection to the device ended.')).toBeVisible();
  await expect(page.getByText('disk is full')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Resume' })).toBeDisabled();
  await page.getByRole('button', { name: 'Connect' }).click();
  await expect(page.getByRole('button', { name: 'Record' })).toBeVisible();
  line.full = () => false;
  await expect.poll(async () => (await captures())[0].frames, { timeout: 240_000 }).toBeGreaterThanOrEqual(after + 3);
  await expect(page.getByText('disk is full')).toHaveCount(0);
  await page.getByRole('button', { name: 'Another device' }).click();
  expect((await captures())[0].frames).toBeGreaterThanOrEqual(after);
  // What was captured can be gone on with.
  await expect(page.getByRole('button', { name: 'Resume' })).toBeEnabled();
  line.close();
});
