import { render } from '@testing-library/react';
import type { ReactElement } from 'react';
import { Provider } from 'react-redux';
import { MemoryRouter } from 'react-router';
import type { OperationView, PieceView, StepView } from '@amber-knit/contracts';
import { api } from '../src/api/api';
import { store } from '../src/app/store';

/** What was asked of the server: method, path below /api, and body. */
export interface Asked {
  method: string;
  path: string;
  body: unknown;
}

/**
 * Shows a component as in a page, with answers in place of a server: by "GET pieces/p/steps" and the like; a value, or a
 * function of the body. What is not listed, or gives nothing, is answered with 404.
 */
export function showWithServer(
  element: ReactElement,
  answers: Record<string, unknown>,
): { asked: Asked[]; container: HTMLElement; showAnew(element: ReactElement): void } {
  const asked: Asked[] = [];
  globalThis.fetch = async (input) => {
    const request = input as Request;
    const url = new URL(request.url);
    const path = url.pathname.replace(/^\/api\//, '') + url.search;
    const text = await request.text();
    const body: unknown = text ? JSON.parse(text) : undefined;
    asked.push({ method: request.method, path, body });
    const given = answers[`${request.method} ${path}`];
    const answer = typeof given === 'function' ? (given as (b: unknown) => unknown)(body) : given;
    if (answer === undefined) return json({ title: 'Not found', status: 404, detail: 'There is no such thing.' }, 404);
    return json(answer, 200);
  };
  store.dispatch(api.util.resetApiState());
  const within = (shown: ReactElement): ReactElement => (
    <Provider store={store}>
      <MemoryRouter>{shown}</MemoryRouter>
    </Provider>
  );
  const { container, rerender } = render(within(element));
  return { asked, container, showAnew: (changed) => rerender(within(changed)) };
}

const json = (value: unknown, status: number): Response =>
  new Response(JSON.stringify(value), { status, headers: { 'content-type': 'application/json' } });

/** A step as the server tells it; say what matters. */
export const stepWith = (change: Partial<StepView>): StepView => ({
  id: 's1',
  pieceId: 'p',
  operationId: 'fuse.surface',
  title: 'Fuse into one surface',
  stage: 'fuse',
  version: 1,
  params: {},
  paramList: [],
  seed: 1,
  status: 'done',
  progress: 1,
  progressStage: '',
  figures: {},
  figureList: [],
  summary: '1,000 triangles at 1.05 mm',
  notes: [],
  error: null,
  sourceName: null,
  inputs: [],
  outputs: [],
  by: null,
  attempt: 1,
  createdAt: '2026-03-01T10:00:00Z',
  startedAt: '2026-03-01T10:00:00Z',
  finishedAt: '2026-03-01T10:00:03Z',
  ...change,
});

/** A piece without scans; say what matters. */
export const pieceWith = (change: Partial<PieceView>): PieceView =>
  ({
    id: 'p',
    name: 'Galley jug',
    note: '',
    scans: 0,
    scanList: [],
    setups: [],
    stages: [],
    doubts: [],
    placements: null,
    mesh: null,
    surface: null,
    model: null,
    dimensions: null,
    dimensionsFresh: true,
    light: null,
    trust: null,
    deviation: null,
    surroundings: null,
    placings: null,
    placingsFresh: true,
    plan: null,
    canUndo: false,
    canRedo: false,
    lastStep: null,
    running: null,
    owner: null,
    ...change,
  }) as PieceView;

/** An operation as the server tells it; say what matters. */
export const operationWith = (change: Partial<OperationView>): OperationView => ({
  id: 'fuse.surface',
  version: 1,
  stage: 'fuse',
  title: 'Fuse into one surface',
  help: 'Merges all registered scans.',
  words: '',
  byHand: false,
  takesAway: false,
  movesNothing: false,
  needs: ['scans', 'placements'],
  gives: ['mesh'],
  fields: [],
  ...change,
});
