import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { showWithServer } from '../../../test/with-server';
import { ArchiveButton } from './archive-button';

test('an archive that can’t be sent says so, and can be chosen again', async () => {
  showWithServer(<ArchiveButton />, {});
  const field = screen.getByLabelText<HTMLInputElement>('Archive of a piece');
  expect(field.accept).toBe('.zip');
  await userEvent.upload(field, new File([new Uint8Array(9)], 'jug.zip', { type: 'application/zip' }));
  // There is no server to send it to.
  expect((await screen.findByRole('alert')).textContent).toMatch(/interrupted. Add the file again/);
  expect(screen.queryByRole('progressbar')).toBeNull();
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Bring in an archive' }).disabled).toBe(false);
});
