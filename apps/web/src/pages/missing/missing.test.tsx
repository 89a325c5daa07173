import { render, screen } from '@testing-library/react';
import { Provider } from 'react-redux';
import { createMemoryRouter, RouterProvider } from 'react-router';
import { store } from '../../app/store';
import { FaultPage } from './fault-page';
import { MissingPage } from './missing-page';

function open(element: () => React.ReactNode): void {
  const router = createMemoryRouter([{ path: '/', Component: element, ErrorBoundary: FaultPage }]);
  render(
    <Provider store={store}>
      <RouterProvider router={router} />
    </Provider>,
  );
}

beforeAll(() => {
  // The fault is thrown on purpose: React need not print it.
  console.error = () => undefined;
});

test('an address that leads nowhere says so, with a way back', async () => {
  open(MissingPage);
  expect(await screen.findByRole('heading', { name: 'There is no such page' })).toBeTruthy();
  expect(screen.getByRole('link', { name: 'To the shelf' }).getAttribute('href')).toBe('/');
});

test('a page that throws is replaced by words and ways on', async () => {
  open(() => {
    throw new Error('planted');
  });
  expect(await screen.findByText('planted')).toBeTruthy();
  expect(screen.getByRole('button', { name: 'Load again' })).toBeTruthy();
});

test('files of an older version that are gone ask for loading anew, not for a report', async () => {
  open(() => {
    throw new TypeError('Failed to fetch dynamically imported module: /assets/x.js');
  });
  expect(await screen.findByRole('heading', { name: 'A newer version is there' })).toBeTruthy();
});
