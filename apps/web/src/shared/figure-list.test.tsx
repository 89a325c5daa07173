import { render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { FigureView } from '@amber-knit/contracts';
import { FigureList } from './figure-list';

const FIGURES: FigureView[] = [
  { name: 'triangles', label: 'Triangles', rank: 'headline', text: '132,882', help: 'Triangles of the surface.' },
  {
    name: 'invented',
    label: 'Invented',
    rank: 'headline',
    text: '30.0 %',
    help: 'Share that no scan measured.',
    verdict: { tone: 'bad', word: 'needs work' },
  },
  {
    name: 'faults',
    label: 'Faults',
    rank: 'diagnostic',
    text: '2',
    help: 'Edges of three.',
    verdict: { tone: 'doubtful', word: 'look at it' },
  },
];

test('headlines are seen at once, with a sign that has a word; the rest is folded away', async () => {
  render(<FigureList figures={FIGURES} />);
  expect(screen.getByText('132,882')).toBeTruthy();
  expect(screen.getByRole('img', { name: 'needs work' })).toBeTruthy();
  expect(screen.queryByText('Faults')).toBeNull();
  const details = screen.getByRole('button', { name: 'Details, some to look at' });
  await userEvent.click(details);
  expect(screen.getByText('Faults')).toBeTruthy();
  expect(screen.getByRole('img', { name: 'look at it' })).toBeTruthy();
});

test('a question mark tells what a figure means, by keyboard too', async () => {
  render(<FigureList figures={FIGURES} />);
  expect(screen.queryByText('Triangles of the surface.')).toBeNull();
  await userEvent.tab();
  await userEvent.keyboard('{Enter}');
  expect(await screen.findByText('Triangles of the surface.')).toBeTruthy();
  await userEvent.keyboard('{Escape}');
  expect(screen.queryByText('Triangles of the surface.')).toBeNull();
});

test('without figures there is nothing', () => {
  const { container } = render(<FigureList figures={[]} />);
  expect(within(container).queryByRole('button')).toBeNull();
});
