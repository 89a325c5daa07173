import { act, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { lookedRound } from '../../shared/looked-round';
import { Tour } from './tour';
import { STOPS } from './tour-stops';

test('the look round marks one part after the other, goes back, and can be left at any moment', async () => {
  let ended = 0;
  const { container } = render(
    <>
      <nav aria-label="Stages" />
      <aside aria-label="Strands" />
      <Tour onEnd={() => ended++} />
    </>,
  );
  const marked = () => container.querySelector('[data-toured]')?.getAttribute('aria-label');
  expect(marked()).toBe('Stages');
  expect(document.activeElement?.textContent).toBe('Next');
  await userEvent.keyboard('{Enter}');
  expect(marked()).toBe('Strands');
  expect(screen.getByText(`2 of ${STOPS.length}`)).toBeTruthy();
  await userEvent.click(screen.getByRole('button', { name: 'Back' }));
  expect(marked()).toBe('Stages');
  await userEvent.click(screen.getByRole('button', { name: 'Leave' }));
  await userEvent.keyboard('{Escape}');
  expect(ended).toBe(2);
  for (let k = 1; k < STOPS.length; k++) await userEvent.click(screen.getByRole('button', { name: 'Next' }));
  await userEvent.click(screen.getByRole('button', { name: 'Done' }));
  expect(ended).toBe(3);
});

test('whoever has looked round is not asked again', () => {
  act(() => lookedRound.end());
  expect(lookedRound.current().done).toBe(true);
  expect(localStorage.getItem('amber-knit.looked-round')).toBe('yes');
});
