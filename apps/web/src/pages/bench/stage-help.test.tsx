import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { showWithServer } from '../../../test/with-server';
import { StageHelp } from './stage-help';

test('the page of a stage opens beside its name, with its picture; markup in it is no markup', async () => {
  const markdown = 'Close *holes*.\n\n## Common mistakes\n\n- **One.** Two <b id="raw">three</b>.\n';
  showWithServer(<StageHelp stage="mend" name="Mend" />, { 'GET help/mend': { stage: 'mend', markdown } });
  await userEvent.click(screen.getByRole('button', { name: 'What goes on at this stage' }));
  expect(await screen.findByRole('heading', { name: 'Common mistakes' })).toBeTruthy();
  expect(screen.getByRole('listitem').textContent).toBe('One. Two <b id="raw">three</b>.');
  expect(screen.getByAltText('The bench at this stage').getAttribute('src')).toBe('/api/help/mend/picture');
  await userEvent.keyboard('{Escape}');
  await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
});

test('a page that is not there says so', async () => {
  showWithServer(<StageHelp stage="mend" name="Mend" />, {});
  await userEvent.click(screen.getByRole('button', { name: 'What goes on at this stage' }));
  expect(await screen.findByRole('alert')).toBeTruthy();
});
