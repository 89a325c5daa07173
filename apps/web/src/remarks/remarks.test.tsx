import { act, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { RemarkView } from '@amber-knit/contracts';
import { ViewHarness } from '../../test/view-harness';
import { pieceWith, showWithServer, stepWith } from '../../test/with-server';
import { remarksDesk } from './remarks-desk';
import { RemarksList } from './remarks-list';
import { RemarksOverlay } from './remarks-overlay';

const surface = pieceWith({ mesh: { id: 'm', kind: 'mesh', bytes: 1, facts: { longest: 200 }, stepId: null } });
const remark = (change: Partial<RemarkView>): RemarkView => ({
  id: 'r',
  by: { id: 'b', name: 'Bea' },
  text: 'Chipped here',
  place: null,
  fresh: true,
  stepId: null,
  at: '2026-03-01T10:00:00Z',
  done: null,
  ...change,
});
const tom = { accounts: true, person: { id: 't', name: 'Tom', role: 'reviewer' } };

beforeEach(() => {
  act(() => {
    if (remarksDesk.current().open) remarksDesk.toggle();
    remarksDesk.toggle();
  });
});

test('remarks stand newest first, with who, on what and whether done; one’s own can be taken back', async () => {
  const list = [
    remark({ id: 'a', stepId: 's1', place: [1, 2, 3], fresh: false }),
    remark({ id: 'b', text: 'Mine', by: { id: 't', name: 'Tom' }, done: { by: 'Ann', at: '2026-03-02T10:00:00Z' } }),
  ];
  const { asked } = showWithServer(<RemarksList piece={surface} />, {
    'GET session': tom,
    'GET pieces/p/remarks': list,
    'GET pieces/p/steps': [stepWith({ id: 's1', title: 'Mend' })],
    'PATCH remarks/a': list[0],
    'DELETE remarks/b': {},
  });
  const lines = await screen.findAllByRole('listitem');
  await waitFor(() => expect(screen.getAllByRole('button', { name: 'Take the remark back' })).toHaveLength(1));
  expect(lines[0].textContent).toMatch(/Mine.*Tom.*done by Ann/);
  expect(lines[1].textContent).toMatch(/^1Chipped here.*Bea.*on “Mend”, pinned to an earlier surface/);
  await userEvent.click(within(lines[0]).getByRole('button', { name: 'Take the remark back' }));
  await userEvent.click(within(lines[1]).getByRole('button', { name: 'Done' }));
  await waitFor(() =>
    expect(asked.filter((a) => a.method !== 'GET')).toEqual([
      { method: 'DELETE', path: 'remarks/b', body: undefined },
      { method: 'PATCH', path: 'remarks/a', body: { done: true } },
    ]),
  );
});

test('a remark is pinned to a place that is clicked in the view, and sent with it', async () => {
  const { asked } = showWithServer(<RemarksList piece={surface} />, {
    'GET session': tom,
    'GET pieces/p/remarks': [],
    'GET pieces/p/steps': [],
    'POST pieces/p/remarks': remark({}),
  });
  const view = new ViewHarness(RemarksOverlay, surface, 'surface');
  view.pick = () => ({ point: [4, 5, 6], snapped: true });
  view.click(10, 10);
  expect(remarksDesk.current().place).toBeNull();
  await userEvent.click(screen.getByRole('button', { name: 'Pin to a place' }));
  // Turning the view is no click.
  view.press(10, 10);
  view.release(60, 10);
  expect(remarksDesk.current()).toMatchObject({ picking: true, place: null });
  view.click(10, 10);
  expect(remarksDesk.current()).toMatchObject({ picking: false, place: { at: [4, 5, 6], meshId: 'm' } });
  expect(view.last('mark')).toEqual([[[4, 5, 6]]]);
  await userEvent.type(screen.getByLabelText('Remark'), 'Too thin{Enter}');
  await waitFor(() =>
    expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ text: 'Too thin', place: [4, 5, 6] }),
  );
  await waitFor(() => expect(remarksDesk.current().place).toBeNull());
});

test('pins are in the view while the list is open: those that are open and of this surface', async () => {
  showWithServer(<RemarksList piece={surface} />, {
    'GET session': tom,
    'GET pieces/p/steps': [],
    'GET pieces/p/remarks': [
      remark({ id: 'a', place: [1, 0, 0], fresh: false }),
      remark({ id: 'b', place: [2, 0, 0], text: 'A long remark that goes on and on' }),
      remark({ id: 'c', place: [3, 0, 0], done: { by: null, at: '2026-03-02T10:00:00Z' } }),
    ],
  });
  const view = new ViewHarness(RemarksOverlay, surface, 'surface');
  await waitFor(() => expect(view.text).toContain('2: A long remark that goes …'));
  expect(view.text).not.toMatch(/1:|3:/);
  await userEvent.click(screen.getByRole('button', { name: 'Show pin 2' }));
  expect(view.last('lookAt')).toEqual([[2, 0, 0], 80]);
  act(() => remarksDesk.toggle());
  expect(view.text).toBe('');
});

test('a place that was chosen on one surface is none on another', async () => {
  const { asked } = showWithServer(<RemarksList piece={{ ...surface, mesh: { ...surface.mesh!, id: 'other' } }} />, {
    'GET session': tom,
    'GET pieces/p/remarks': [],
    'GET pieces/p/steps': [],
    'POST pieces/p/remarks': remark({}),
  });
  act(() => remarksDesk.picked([4, 5, 6], 'm'));
  await userEvent.type(screen.getByLabelText('Remark'), 'On the whole{Enter}');
  await waitFor(() => expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ text: 'On the whole' }));
});
