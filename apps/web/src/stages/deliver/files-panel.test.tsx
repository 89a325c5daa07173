import { screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { pieceWith, showWithServer, stepWith } from '../../../test/with-server';
import { FilesPanel } from './files-panel';

const delivered = (id: string, file: string, bytes: number) =>
  stepWith({ stage: 'deliver', outputs: [id], figures: { file, bytes } });
const steps = [
  delivered('old', 'jug.glb', 1_000_000),
  delivered('b', 'jug.3mf', 2_000_000),
  delivered('new', 'jug.glb', 3_000_000),
];
const show = (all = steps) => showWithServer(<FilesPanel piece={pieceWith({})} steps={all} busy={false} />, {});
const zip = (): HTMLAnchorElement => screen.getByText(/as one zip|Choose what/);

test('the newest file of each name is there, the newest first, alone or all as one zip', () => {
  show();
  const rows = within(screen.getByRole('list')).getAllByRole('listitem');
  expect(rows.map((r) => r.textContent)).toEqual([
    expect.stringMatching(/jug\.glb.*3\.0 MB/),
    expect.stringMatching(/jug\.3mf.*2\.0 MB/),
  ]);
  expect(screen.getByRole<HTMLAnchorElement>('link', { name: 'Take jug.glb' }).href).toContain('/new/');
  expect(zip().textContent).toBe('Take all as one zip (5.0 MB)');
  expect(new URL(zip().href).pathname + new URL(zip().href).search).toBe('/api/pieces/p/delivered');
});

test('what is left out is not in it; without anything there is nothing to take', async () => {
  show();
  await userEvent.click(screen.getByRole('checkbox', { name: 'jug.glb' }));
  expect(zip().textContent).toBe('Take 1 as one zip (2.0 MB)');
  expect(new URL(zip().href).search).toBe('?only=b');
  await userEvent.click(screen.getByRole('checkbox', { name: 'jug.3mf' }));
  expect(zip().textContent).toBe('Choose what goes into the zip');
  expect(zip().getAttribute('href')).toBeNull();
});

test('one file needs no zip, and none no list', () => {
  const { showAnew } = show(steps.slice(0, 1));
  expect(screen.queryByText(/as one zip/)).toBeNull();
  showAnew(<FilesPanel piece={pieceWith({})} steps={[]} busy={false} />);
  expect(screen.queryByRole('region')).toBeNull();
});
