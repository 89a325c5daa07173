import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { Provider } from 'react-redux';
import { createBrowserRouter, RouterProvider } from 'react-router';
import { listenToServer } from './api/api';
import { store } from './app/store';
import './app/theme.css';
import { BenchPage } from './features/bench/bench-page';
import { KnitChartPage } from './features/knit-chart/knit-chart-page';
import { LedgerPage } from './features/ledger/ledger-page';
import { ShelfPage } from './features/shelf/shelf-page';

const router = createBrowserRouter([
  { path: '/', element: <ShelfPage /> },
  { path: '/pieces/:pieceId', element: <KnitChartPage /> },
  { path: '/pieces/:pieceId/bench/:stage', element: <BenchPage /> },
  { path: '/pieces/:pieceId/ledger', element: <LedgerPage /> },
  { path: '*', element: <ShelfPage /> },
]);

listenToServer((action) => store.dispatch(action as never));

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <Provider store={store}>
      <RouterProvider router={router} />
    </Provider>
  </StrictMode>,
);
