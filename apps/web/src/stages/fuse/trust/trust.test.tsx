import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { ScanView } from '@amber-knit/contracts';
import { pieceWith, showWithServer, stepWith } from '../../../../test/with-server';
import { ballOutlines, trustDesk } from './trust-desk';
import { TrustPanel } from './trust-panel';

const scan = (name: string): ScanView =>
  ({ id: name, name, placement: { name, state: 'registered' }, cloud: { facts: { diagonal: 150 } } }) as never;
const scanList = [scan('Foot ring'), scan('Lip side')];
const kept = {
  version: 1,
  regions: [{ name: 'The foot', how: 'only', scans: ['Foot ring'], balls: [[1, 2, 3, 8]], width: 4 }],
};
const ANSWERS = { 'POST pieces/p/steps': stepWith({ status: 'queued' }), 'GET artifacts/t1/data': kept };
const posted = (asked: { method: string; body: unknown }[]): unknown => asked.find((a) => a.method === 'POST')?.body;

test('a place is marked ball by ball and kept with what others there are', async () => {
  const user = userEvent.setup();
  const piece = pieceWith({ scanList, trust: { id: 't1' } as never });
  const { asked } = showWithServer(<TrustPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  const panel = screen.getByRole('region', { name: 'Which scans count where' });
  await waitFor(() => expect(within(panel).getByRole('listitem').textContent).toBe('The foot: only these Foot ring'));
  await user.click(screen.getByRole('button', { name: 'Mark a place' }));
  const keep = screen.getByRole<HTMLButtonElement>('button', { name: 'Keep' });
  expect(keep.disabled).toBe(true);
  await user.click(screen.getByRole('checkbox', { name: 'Lip side' }));
  await user.selectOptions(screen.getByRole('combobox', { name: 'Counts there' }), 'rather');
  act(() => trustDesk.addBall([10, 20, 30]));
  act(() => trustDesk.addBall([11, 20, 30]));
  expect(panel.textContent).toContain('2 balls marked');
  await user.click(screen.getByRole('button', { name: 'Take back one' }));
  await user.click(keep);
  await waitFor(() => expect(posted(asked)).toBeDefined());
  expect(posted(asked)).toEqual({
    operationId: 'fuse.trust',
    params: {
      regions: [
        kept.regions[0],
        { name: 'Place 2', how: 'rather', scans: ['Lip side'], balls: [[10, 20, 30, 10]], width: 5 },
      ],
    },
  });
  expect(screen.queryByRole('button', { name: 'Keep' })).toBeNull();
});

test('a place is taken out again', async () => {
  const user = userEvent.setup();
  const piece = pieceWith({ scanList, trust: { id: 't1' } as never, mesh: { id: 'm', facts: {} } as never });
  const { asked } = showWithServer(<TrustPanel piece={piece} steps={[]} busy={false} />, ANSWERS);
  expect(await screen.findByText('The next fusing goes by it.')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Remove The foot' }));
  await waitFor(() => expect(posted(asked)).toEqual({ operationId: 'fuse.trust', params: { regions: [] } }));
});

test('where a single scan has a place there is nothing to choose', () => {
  const { container } = showWithServer(
    <TrustPanel piece={pieceWith({ scanList: scanList.slice(0, 1) })} steps={[]} busy={false} />,
    {},
  );
  expect(container.textContent).toBe('');
});

test('without a place begun a click adds nothing; Cancel forgets what was begun', async () => {
  const user = userEvent.setup();
  trustDesk.addBall([0, 0, 0]);
  expect(trustDesk.current().draft).toBeNull();
  expect(trustDesk.back()).toBe(false);
  showWithServer(<TrustPanel piece={pieceWith({ scanList })} steps={[]} busy={false} />, {});
  await user.click(screen.getByRole('button', { name: 'Mark a place' }));
  await user.click(screen.getByRole('button', { name: 'Cancel' }));
  expect(trustDesk.current().draft).toBeNull();
});

test('outlines are circles of the ball’s radius about its middle', () => {
  const p = ballOutlines([[1, 2, 3, 5]]);
  expect(p.length % 9).toBe(0);
  for (let i = 0; i < p.length; i += 3) expect(Math.hypot(p[i] - 1, p[i + 1] - 2, p[i + 2] - 3)).toBeCloseTo(5, 4);
});
