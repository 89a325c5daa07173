import type { PersonHere, RemarkView, Stage } from '@amber-knit/contracts';
import { api } from './api';

/** Calls about what people say on a piece, and who is at it. */
export const remarksApi = api.injectEndpoints({
  endpoints: (build) => ({
    remarks: build.query<RemarkView[], string>({
      query: (pieceId) => `pieces/${pieceId}/remarks`,
      providesTags: (_r, _e, id) => [{ type: 'Piece', id }],
    }),
    addRemark: build.mutation<
      RemarkView,
      { pieceId: string; text: string; place?: [number, number, number]; stepId?: string }
    >({
      query: ({ pieceId, ...body }) => ({ url: `pieces/${pieceId}/remarks`, method: 'POST', body }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    setRemarkDone: build.mutation<RemarkView, { pieceId: string; id: string; done: boolean }>({
      query: ({ id, done }) => ({ url: `remarks/${id}`, method: 'PATCH', body: { done } }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    takeBackRemark: build.mutation<void, { pieceId: string; id: string }>({
      query: ({ id }) => ({ url: `remarks/${id}`, method: 'DELETE' }),
      invalidatesTags: (_r, _e, { pieceId }) => [{ type: 'Piece', id: pieceId }],
    }),
    here: build.query<PersonHere[], string>({ query: (pieceId) => `pieces/${pieceId}/here` }),
    /** Says that this page has the piece open. */
    comeHere: build.mutation<PersonHere[], { pieceId: string; stage: Stage | null }>({
      query: ({ pieceId, stage }) => ({ url: `pieces/${pieceId}/here`, method: 'PUT', body: { stage } }),
      onQueryStarted: ({ pieceId }, { dispatch, queryFulfilled }) =>
        void queryFulfilled.then(
          ({ data }) => dispatch(remarksApi.util.upsertQueryData('here', pieceId, data)),
          () => undefined,
        ),
    }),
    leave: build.mutation<void, string>({
      query: (pieceId) => ({ url: `pieces/${pieceId}/here`, method: 'DELETE', keepalive: true }),
    }),
  }),
});
