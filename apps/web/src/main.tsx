import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { Provider } from 'react-redux';
import { createBrowserRouter, RouterProvider, type Params } from 'react-router';
import { api } from './api/api';
import { store } from './app/store';
import './app/theme.css';
import { fetchShown } from './pages/bench/fetch-shown';
import { FinderShell } from './pages/finder/finder-shell';
import { FaultPage } from './pages/missing/fault-page';
import { SessionGate } from './pages/sign-in/session-gate';
import { applyTheme } from './shared/theme';
import { warmGraphics } from './view/graphics';

// The bench brings the 3D view along, half of the code: fetched in an idle moment or when it is opened.
const loadBench = () => import('./pages/bench/bench-page');

/** Asks for the piece and what its view shows first while the bench's code arrives and is set up. */
async function askAhead({ pieceId = '', stage }: Params): Promise<void> {
  const query = store.dispatch(api.endpoints.piece.initiate(pieceId));
  try {
    const { data } = await query;
    if (data) fetchShown(data, stage, store.getState().view);
  } finally {
    query.unsubscribe();
  }
}

const router = createBrowserRouter([
  {
    // What one page does wrong ends that page only.
    ErrorBoundary: FaultPage,
    path: '/invitation/:token',
    lazy: async () => ({ Component: (await import('./pages/sign-in/invitation-page')).InvitationPage }),
  },
  {
    ErrorBoundary: FaultPage,
    Component: SessionGate,
    children: [
      {
        Component: FinderShell,
        ErrorBoundary: FaultPage,
        children: [
          { path: '/', lazy: async () => ({ Component: (await import('./pages/shelf/shelf-page')).ShelfPage }) },
          {
            path: '/pieces/:pieceId',
            lazy: async () => ({ Component: (await import('./pages/knit-chart/knit-chart-page')).KnitChartPage }),
          },
          {
            path: '/pieces/:pieceId/bench/:stage',
            lazy: async () => ({ Component: (await loadBench()).BenchPage }),
            loader: ({ params }) => {
              void askAhead(params);
              return null;
            },
            // From stage to stage what is shown is there already.
            shouldRevalidate: () => false,
          },
          {
            path: '/pieces/:pieceId/guided',
            lazy: async () => ({ Component: (await import('./pages/guided/guided-page')).GuidedPage }),
          },
          {
            path: '/pieces/:pieceId/ledger',
            lazy: async () => ({ Component: (await import('./pages/ledger/ledger-page')).LedgerPage }),
          },
          {
            path: '/people',
            lazy: async () => ({ Component: (await import('./pages/people/people-page')).PeoplePage }),
          },
          { path: '*', lazy: async () => ({ Component: (await import('./pages/missing/missing-page')).MissingPage }) },
        ],
      },
    ],
  },
]);

applyTheme();
warmGraphics(loadBench);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <Provider store={store}>
      <RouterProvider router={router} />
    </Provider>
  </StrictMode>,
);
