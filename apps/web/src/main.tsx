import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { Provider } from 'react-redux';
import { createBrowserRouter, RouterProvider } from 'react-router';
import { listenToServer } from './api/api';
import { store } from './app/store';
import './app/theme.css';
import { KnitChartPage } from './features/knit-chart/knit-chart-page';
import { LedgerPage } from './features/ledger/ledger-page';
import { ShelfPage } from './features/shelf/shelf-page';
import { applyTheme } from './shared/theme';
import { warmGraphics } from './features/view/graphics';

// The bench brings the 3D view along, half of the code: fetched in an idle moment or when it is opened.
const loadBench = () => import('./features/bench/bench-page');

const router = createBrowserRouter([
  { path: '/', element: <ShelfPage /> },
  { path: '/pieces/:pieceId', element: <KnitChartPage /> },
  { path: '/pieces/:pieceId/bench/:stage', lazy: async () => ({ Component: (await loadBench()).BenchPage }) },
  { path: '/pieces/:pieceId/ledger', element: <LedgerPage /> },
  { path: '*', element: <ShelfPage /> },
]);

applyTheme();
warmGraphics(loadBench);
listenToServer((action) => store.dispatch(action as never));

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <Provider store={store}>
      <RouterProvider router={router} />
    </Provider>
  </StrictMode>,
);
