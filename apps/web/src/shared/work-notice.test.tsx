import { act, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { stepWith } from '../../test/with-server';
import { pageTitle } from './page-title';
import { TellWhenDone, tellWhenDone, useWorkNotice, workOf, type Work } from './work-notice';

/** What the browser was asked to tell. */
let told: [string, NotificationOptions | undefined][] = [];
let permission: NotificationPermission;
let hidden: boolean;

beforeEach(() => {
  told = [];
  permission = 'default';
  hidden = false;
  class Notice {
    static get permission(): NotificationPermission {
      return permission;
    }
    static requestPermission(): Promise<NotificationPermission> {
      if (permission === 'default') permission = 'granted';
      return Promise.resolve(permission);
    }
    constructor(title: string, options?: NotificationOptions) {
      told.push([title, options]);
    }
  }
  Object.assign(window, { Notification: Notice });
  Object.defineProperty(document, 'hidden', { configurable: true, get: () => hidden });
  act(() => {
    pageTitle.set({ place: 'Galley jug', work: null });
    tellWhenDone.set({ wanted: false });
  });
});

function Piece(work: Work) {
  useWorkNotice('Galley jug', work);
  return null;
}

test('steps as work: what runs comes first, then how the newest ended', () => {
  const step = (more: object) => stepWith({ title: 'Register all scans', ...more } as never);
  expect(workOf(undefined)).toEqual({ doing: null });
  expect(workOf([step({ status: 'running', progress: 0.417 })])).toEqual({ doing: '42 % Register all scans' });
  const older = step({ status: 'done', finishedAt: '2026-12-01T10:00:00Z' });
  const newer = step({ status: 'failed', title: 'Mend', finishedAt: '2026-12-01T11:00:00Z' });
  expect(workOf([newer, older])).toEqual({ doing: null, outcome: 'Failed: Mend' });
  expect(workOf([older, { ...newer, status: 'cancelled' }])).toEqual({ doing: null });
});

test('the tab says how far work is, and nothing once it has ended before one’s eyes', () => {
  const { rerender, unmount } = render(<Piece doing="3 % Mend" />);
  expect(document.title).toBe('3 % Mend – Galley jug – Amber Knit');
  rerender(<Piece doing={null} outcome="Done: Mend" />);
  expect(document.title).toBe('Galley jug – Amber Knit');
  rerender(<Piece doing="7 % Mend" />);
  unmount();
  expect(document.title).toBe('Galley jug – Amber Knit');
  expect(told).toEqual([]);
});

test('who was elsewhere reads in the tab that it has ended, until they look', () => {
  const { rerender } = render(<Piece doing="3 % Mend" />);
  hidden = true;
  rerender(<Piece doing={null} outcome="Done: Mend" />);
  expect(document.title).toBe('Done: Mend – Galley jug – Amber Knit');
  expect(told).toEqual([]);
  hidden = false;
  act(() => void document.dispatchEvent(new Event('visibilitychange')));
  expect(document.title).toBe('Galley jug – Amber Knit');
});

test('an old outcome is no news', () => {
  hidden = true;
  render(<Piece doing={null} outcome="Done: Mend" />);
  expect(document.title).toBe('Galley jug – Amber Knit');
});

test('the browser tells once it was asked to, and no more when it is turned off', async () => {
  const user = userEvent.setup();
  render(<TellWhenDone />);
  const button = screen.getByRole('button', { name: 'Tell me' });
  await user.click(button);
  expect(button.getAttribute('aria-pressed')).toBe('true');
  hidden = true;
  const { rerender } = render(<Piece doing="3 % Mend" />);
  rerender(<Piece doing={null} outcome="Failed: Mend" />);
  expect(told).toEqual([['Failed: Mend', { body: 'Galley jug', tag: 'amber-knit' }]]);
  await user.click(button);
  rerender(<Piece doing="3 % Mend" />);
  rerender(<Piece doing={null} outcome="Done: Mend" />);
  expect(told).toHaveLength(1);
});

test('where the browser refuses, nothing is offered', () => {
  permission = 'denied';
  render(<TellWhenDone />);
  expect(screen.queryByRole('button')).toBeNull();
});
