import {
  createApi,
  fetchBaseQuery,
  type BaseQueryFn,
  type FetchArgs,
  type FetchBaseQueryError,
} from '@reduxjs/toolkit/query/react';
import type { DimensionSheet } from '@amber-knit/core/dimensions';
import type { PlacingSheet } from '@amber-knit/core/placing';
import type { TrustSheet } from '@amber-knit/core/fusion';
import type {
  AwayPiece,
  CaptureHolds,
  CaptureView,
  DeviceList,
  GuideAnswers,
  GuidedState,
  HelpView,
  MadeRecipe,
  OperationView,
  PieceRoom,
  PieceSummary,
  PieceView,
  PlanAnswers,
  Problem,
  Recipe,
  SharedView,
  SharedViewTerms,
  Stage,
  StepView,
  SuggestionsView,
  VersionView,
} from '@amber-knit/contracts';

const ask = fetchBaseQuery({ baseUrl: '/api/' });

/** A call that is refused because nobody is signed in makes the page ask who is. */
const askAsPerson: BaseQueryFn<string | FetchArgs, unknown, FetchBaseQueryError> = async (args, call, options) => {
  const answer = await ask(args, call, options);
  if (answer.error?.status === 401) call.dispatch(api.util.invalidateTags(['Session']));
  return answer;
};

/** All calls to the server; server events keep the cache true (see `server-events`). */
export const api = createApi({
  reducerPath: 'api',
  baseQuery: askAsPerson,
  tagTypes: ['Session', 'People', 'Pieces', 'Piece', 'Steps', 'Captures'],
  endpoints: (build) => ({
    pieces: build.query<PieceSummary[], void>({ query: () => 'pieces', providesTags: ['Pieces'] }),
    piece: build.query<PieceView, string>({
      query: (id) => `pieces/${id}`,
      providesTags: (_r, _e, id) => [{ type: 'Piece', id }],
    }),
    operations: build.query<OperationView[], void>({ query: () => 'operations' }),
    steps: build.query<StepView[], string>({
      query: (id) => `pieces/${id}/steps`,
      providesTags: (_r, _e, id) => [{ type: 'Steps', id }],
    }),
    suggestions: build.query<SuggestionsView, { pieceId: string; operationId: string }>({
      query: ({ pieceId, operationId }) => `pieces/${pieceId}/suggestions?operation=${operationId}`,
      providesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    devices: build.query<DeviceList, void>({ query: () => 'devices' }),
    openCaptures: build.query<CaptureView[], string>({
      query: (pieceId) => `pieces/${pieceId}/captures`,
      providesTags: ['Captures'],
    }),
    beginCapture: build.mutation<
      CaptureView,
      {
        pieceId: string;
        name: string;
        setup: string;
        deviceId: string;
        settings: Record<string, number>;
        holds?: CaptureHolds;
      }
    >({
      query: ({ pieceId, ...body }) => ({ url: `pieces/${pieceId}/captures`, method: 'POST', body }),
      invalidatesTags: ['Captures'],
    }),
    finishCapture: build.mutation<
      StepView,
      {
        id: string;
        support?: 'remove' | 'keep';
        place?: boolean;
        within?: number;
        spacing?: number;
        /** How the pictures of a line-laser recording become points. */
        recording?: object;
      }
    >({
      query: ({ id, ...body }) => ({ url: `captures/${id}/finish`, method: 'POST', body }),
      invalidatesTags: (step) => ['Captures', ...(step ? [{ type: 'Steps' as const, id: step.pieceId }] : [])],
    }),
    discardCapture: build.mutation<CaptureView, string>({
      query: (id) => ({ url: `captures/${id}`, method: 'DELETE' }),
      invalidatesTags: ['Captures'],
    }),
    setPlan: build.mutation<PieceView, { pieceId: string; plan: PlanAnswers }>({
      query: ({ pieceId, plan }) => ({ url: `pieces/${pieceId}`, method: 'PATCH', body: { plan } }),
      invalidatesTags: (_r, _e, { pieceId }) => ['Pieces', { type: 'Piece', id: pieceId }],
    }),
    /** Renames a scan; moves scans to another setup, colours them, notes something about them. */
    labelScans: build.mutation<
      PieceView,
      { pieceId: string; scans: string[]; name?: string; setup?: string; colorIndex?: number; note?: string }
    >({
      query: ({ pieceId, ...body }) => ({ url: `pieces/${pieceId}/scans`, method: 'PATCH', body }),
      invalidatesTags: (_r, _e, { pieceId }) => ['Pieces', { type: 'Piece', id: pieceId }],
    }),
    /** Copies scans of a piece, with their frames, to another or to itself. */
    copyScans: build.mutation<PieceView, { pieceId: string; scans: string[]; to: string }>({
      query: ({ pieceId, ...body }) => ({ url: `pieces/${pieceId}/scans/copies`, method: 'POST', body }),
      invalidatesTags: (_r, _e, { to }) => ['Pieces', { type: 'Piece', id: to }],
    }),
    room: build.query<PieceRoom, string>({
      query: (id) => `pieces/${id}/room`,
      providesTags: (_r, _e, id) => [{ type: 'Piece', id }],
    }),
    forgetUndone: build.mutation<PieceRoom, string>({
      query: (id) => ({ url: `pieces/${id}/forget-undone`, method: 'POST' }),
      invalidatesTags: (_r, _e, id) => [
        { type: 'Piece', id },
        { type: 'Steps', id },
      ],
    }),
    /** Pieces put away from the shelf; they follow every change of the shelf. */
    away: build.query<AwayPiece[], void>({ query: () => 'away', providesTags: ['Pieces'] }),
    putAway: build.mutation<void, string>({
      query: (id) => ({ url: `pieces/${id}`, method: 'DELETE' }),
      invalidatesTags: ['Pieces'],
    }),
    putBack: build.mutation<void, string>({
      query: (id) => ({ url: `away/${id}/back`, method: 'POST' }),
      invalidatesTags: ['Pieces'],
    }),
    removeForGood: build.mutation<PieceRoom, string>({
      query: (id) => ({ url: `away/${id}`, method: 'DELETE' }),
      invalidatesTags: ['Pieces'],
    }),
    createPiece: build.mutation<PieceView, { name: string; note: string }>({
      query: (body) => ({ url: 'pieces', method: 'POST', body }),
      invalidatesTags: ['Pieces'],
    }),
    runOperation: build.mutation<StepView, { pieceId: string; operationId: string; params: Record<string, unknown> }>({
      query: ({ pieceId, ...body }) => ({ url: `pieces/${pieceId}/steps`, method: 'POST', body }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Steps', id: pieceId }],
    }),
    /** Brings in the scans of a file that a step made. */
    importFile: build.mutation<StepView, { pieceId: string; artifact: string }>({
      query: ({ pieceId, artifact }) => ({ url: `pieces/${pieceId}/imports`, method: 'POST', body: { artifact } }),
      invalidatesTags: (step) => (step ? [{ type: 'Steps', id: step.pieceId }] : []),
    }),
    /** Begins an operation on the surface of a piece, as if that were a file. */
    bringSurface: build.mutation<
      StepView,
      { pieceId: string; artifact: string; operationId: string; params: Record<string, unknown> }
    >({
      query: ({ pieceId, ...body }) => ({ url: `pieces/${pieceId}/imports`, method: 'POST', body }),
      invalidatesTags: (step) => (step ? [{ type: 'Steps', id: step.pieceId }] : []),
    }),
    /** Runs a step once more, from the same file, with some parameters changed. */
    runAgain: build.mutation<StepView, { id: string; params: Record<string, unknown> }>({
      query: ({ id, params }) => ({ url: `steps/${id}/again`, method: 'POST', body: { params } }),
      invalidatesTags: (step) => (step ? [{ type: 'Steps', id: step.pieceId }] : []),
    }),
    /** What was measured, as an artifact holds it: it never changes. */
    dimensions: build.query<DimensionSheet, string>({ query: (artifact) => `artifacts/${artifact}/data` }),
    /** Where the piece was put in its surroundings, as an artifact holds it. */
    placings: build.query<PlacingSheet, string>({ query: (artifact) => `artifacts/${artifact}/data` }),
    /** Which scans count where, as an artifact holds it. */
    trust: build.query<TrustSheet, string>({ query: (artifact) => `artifacts/${artifact}/data` }),
    guided: build.query<GuidedState, string>({
      query: (pieceId) => `pieces/${pieceId}/guided`,
      providesTags: (_r, _e, id) => [{ type: 'Piece', id }],
    }),
    /** Starts a guided run, or answers anew. */
    answerGuided: build.mutation<GuidedState, { pieceId: string; answers: GuideAnswers }>({
      query: ({ pieceId, answers }) => ({ url: `pieces/${pieceId}/guided`, method: 'PUT', body: answers }),
      invalidatesTags: (_r, _e, { pieceId }) => [
        { type: 'Piece', id: pieceId },
        { type: 'Steps', id: pieceId },
      ],
    }),
    recipes: build.query<Recipe[], void>({ query: () => 'recipes' }),
    help: build.query<HelpView, Stage>({ query: (stage) => `help/${stage}` }),
    /** What was done to a piece, as a recipe for others. */
    madeRecipe: build.query<MadeRecipe, string>({
      query: (pieceId) => `pieces/${pieceId}/recipe`,
      keepUnusedDataFor: 0,
    }),
    /** Runs a recipe on a piece. */
    followRecipe: build.mutation<GuidedState, { pieceId: string; recipe: unknown }>({
      query: ({ pieceId, recipe }) => ({ url: `pieces/${pieceId}/guided/recipe`, method: 'PUT', body: { recipe } }),
      invalidatesTags: (_r, _e, { pieceId }) => [
        { type: 'Piece', id: pieceId },
        { type: 'Steps', id: pieceId },
      ],
    }),
    decideGuided: build.mutation<GuidedState, { pieceId: string; stop: string; choice: string }>({
      query: ({ pieceId, ...body }) => ({ url: `pieces/${pieceId}/guided/decisions`, method: 'POST', body }),
      invalidatesTags: (_r, _e, { pieceId }) => [
        { type: 'Piece', id: pieceId },
        { type: 'Steps', id: pieceId },
      ],
    }),
    paceGuided: build.mutation<GuidedState, { pieceId: string; pace: 'pause' | 'go-on' }>({
      query: ({ pieceId, pace }) => ({ url: `pieces/${pieceId}/guided/${pace}`, method: 'POST' }),
      invalidatesTags: (_r, _e, { pieceId }) => [
        { type: 'Piece', id: pieceId },
        { type: 'Steps', id: pieceId },
      ],
    }),
    sharedViews: build.query<SharedView[], string>({
      query: (pieceId) => `pieces/${pieceId}/shared-views`,
      providesTags: (_r, _e, id) => [{ type: 'Piece', id }],
    }),
    share: build.mutation<SharedView, { pieceId: string; terms: SharedViewTerms & { password?: string } }>({
      query: ({ pieceId, terms }) => ({ url: `pieces/${pieceId}/shared-views`, method: 'POST', body: terms }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    changeShared: build.mutation<
      SharedView,
      { pieceId: string; id: string; terms: SharedViewTerms & { password?: string } }
    >({
      query: ({ id, terms }) => ({ url: `shared-views/${id}`, method: 'PATCH', body: terms }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    /** Shows the piece as it stands now under the same link. */
    sharedNow: build.mutation<SharedView, { pieceId: string; id: string }>({
      query: ({ id }) => ({ url: `shared-views/${id}/now`, method: 'POST' }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    endShared: build.mutation<void, { pieceId: string; id: string }>({
      query: ({ id }) => ({ url: `shared-views/${id}`, method: 'DELETE' }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    cancelStep: build.mutation<StepView, string>({ query: (id) => ({ url: `steps/${id}/cancel`, method: 'POST' }) }),
    versions: build.query<VersionView[], string>({
      query: (id) => `pieces/${id}/versions`,
      providesTags: (_r, _e, id) => [{ type: 'Piece', id }],
    }),
    /** The piece as it stood at a version. */
    pieceAt: build.query<PieceView, { id: string; version: string }>({
      query: ({ id, version }) => `pieces/${id}/versions/${version}`,
    }),
    moveTo: build.mutation<PieceView, { id: string; version: string }>({
      query: ({ id, version }) => ({ url: `pieces/${id}/versions/${version}`, method: 'POST' }),
      invalidatesTags: (_r, _e, { id }) => ['Pieces', { type: 'Piece', id }],
    }),
    move: build.mutation<PieceView, { id: string; direction: 'undo' | 'redo' }>({
      query: ({ id, direction }) => ({ url: `pieces/${id}/${direction}`, method: 'POST' }),
      invalidatesTags: (_r, _e, { id }) => ['Pieces', { type: 'Piece', id }],
      // The answer is the piece as it stands now: no need to wait until it is asked for again.
      onQueryStarted: ({ id }, { dispatch, queryFulfilled }) =>
        void queryFulfilled.then(
          ({ data }) => dispatch(api.util.upsertQueryData('piece', id, data)),
          () => undefined,
        ),
    }),
  }),
});

/** The server's words for a failed call. */
export function problemText(error: unknown): string {
  const data = (error as { data?: Problem } | undefined)?.data;
  if (data && typeof data === 'object' && 'detail' in data) return data.detail;
  return 'The server does not answer. Nothing is lost; try again in a moment.';
}
