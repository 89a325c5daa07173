import { screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { DemandView } from '@amber-knit/contracts';
import { showWithServer, stepWith } from '../../../test/with-server';
import { DemandList } from './demand-list';

const MEND = { operationId: 'mend.all', title: 'Mend' };
const DEMANDS: DemandView[] = [
  { label: 'Closed', must: true, state: 'unmet', said: '3 holes open', remedy: MEND },
  { label: 'In one piece', must: true, state: 'unmet', said: '4 pieces', remedy: MEND },
  {
    label: 'Crosses itself nowhere',
    must: true,
    state: 'unknown',
    said: 'not looked at yet',
    remedy: { operationId: 'check.inspect', title: 'Inspect' },
  },
  { label: 'In its own colours', must: false, state: 'unmet', said: 'no colours' },
  { label: 'Upright on the ground', must: false, state: 'met', said: 'set upright' },
];
const ANSWERS = { 'POST pieces/p/steps': stepWith({ status: 'queued' }) };

test('each demand says in words how it stands, and what mends several is offered once', async () => {
  const { asked } = showWithServer(<DemandList pieceId="p" demands={DEMANDS} busy={false} />, ANSWERS);
  const rows = screen.getAllByRole('listitem').map((row) => row.textContent);
  expect(rows[0]).toMatch(/Closed.*missing: 3 holes open/);
  expect(rows[2]).toMatch(/not known: not looked at yet/);
  expect(rows[3]).toMatch(/better with it: no colours/);
  expect(rows[4]).toMatch(/\(there\)set upright/);
  expect(screen.getAllByRole('button').map((b) => b.textContent)).toEqual(['Mend', 'Inspect']);
  await userEvent.click(within(screen.getAllByRole('listitem')[0]).getByRole('button'));
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(asked[0].body).toEqual({ operationId: 'mend.all', params: {} });
});

test('nothing is offered while a step runs, and nothing stands there where nothing is demanded', () => {
  const { showAnew } = showWithServer(<DemandList pieceId="p" demands={DEMANDS} busy />, ANSWERS);
  for (const button of screen.getAllByRole('button')) expect((button as HTMLButtonElement).disabled).toBe(true);
  showAnew(<DemandList pieceId="p" demands={[]} busy={false} />);
  expect(screen.queryByRole('list')).toBeNull();
});
