import { screen, waitFor } from '@testing-library/react';
import { pieceWith, showWithServer, stepWith } from '../../../test/with-server';
import { ArchivePanel } from './archive-panel';

test('the archive is taken with what was delivered; not while a step runs', async () => {
  const files = [stepWith({ stage: 'deliver', outputs: ['a'], figures: { file: 'jug.glb' } })];
  const { showAnew } = showWithServer(<ArchivePanel piece={pieceWith({})} steps={files} busy={false} />, {
    'GET pieces/p/room': { bytes: 12_500_000, freed: 0, undone: 0 },
  });
  const link = screen.getByRole<HTMLAnchorElement>('link', { name: /Take the archive/ });
  expect(new URL(link.href).pathname).toBe('/api/pieces/p/archive');
  await waitFor(() => expect(link.textContent).toContain('12.5 MB'));
  expect(screen.getByText('To be opened with other programs: jug.glb.')).toBeTruthy();
  showAnew(<ArchivePanel piece={pieceWith({})} steps={[]} busy />);
  expect(screen.getByText(/A step is running/)).toBeTruthy();
  expect(screen.queryByRole('link')).toBeNull();
});
