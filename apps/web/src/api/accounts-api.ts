import {
  mayDo,
  whyNot,
  type InvitationPage,
  type InvitationView,
  type NewInvitation,
  type PersonName,
  type PersonView,
  type Right,
  type Role,
  type SessionView,
} from '@amber-knit/contracts';
import { api } from './api';

/** What changes with who is signed in: everything. */
const ALL = ['Session', 'People', 'Pieces', 'Piece', 'Steps', 'Captures'] as const;

/** Calls about who is here and who may come in. */
export const accountsApi = api.injectEndpoints({
  endpoints: (build) => ({
    session: build.query<SessionView, void>({ query: () => 'session', providesTags: ['Session'] }),
    signIn: build.mutation<SessionView, { name: string; password: string }>({
      query: (body) => ({ url: 'session', method: 'POST', body }),
      invalidatesTags: (session) => (session ? [...ALL] : []),
    }),
    signOut: build.mutation<void, 'here' | 'everywhere'>({
      query: (where) => ({ url: where === 'here' ? 'session' : 'session/everywhere', method: 'DELETE' }),
    }),
    changePassword: build.mutation<void, { old: string; password: string }>({
      query: (body) => ({ url: 'session/password', method: 'PUT', body }),
    }),
    invitation: build.query<InvitationPage, string>({ query: (token) => `invitations/${token}` }),
    acceptInvitation: build.mutation<SessionView, { token: string; name?: string; password: string }>({
      query: ({ token, ...body }) => ({ url: `invitations/${token}`, method: 'POST', body }),
      invalidatesTags: (session) => (session ? [...ALL] : []),
    }),
    people: build.query<PersonView[], void>({ query: () => 'people', providesTags: ['People'] }),
    names: build.query<PersonName[], void>({ query: () => 'people/names', providesTags: ['People'] }),
    changePerson: build.mutation<void, { id: string; role?: Role; ended?: boolean }>({
      query: ({ id, ...body }) => ({ url: `people/${id}`, method: 'PATCH', body }),
      invalidatesTags: ['People', 'Session'],
    }),
    invitations: build.query<InvitationView[], void>({ query: () => 'invitations', providesTags: ['People'] }),
    invite: build.mutation<NewInvitation, { role: Role; person?: string }>({
      query: (body) => ({ url: 'invitations', method: 'POST', body }),
      invalidatesTags: ['People'],
    }),
    takeBackInvitation: build.mutation<void, string>({
      query: (id) => ({ url: `invitations/${id}`, method: 'DELETE' }),
      invalidatesTags: ['People'],
    }),
    giveTo: build.mutation<void, { pieceId: string; owner: string | null }>({
      query: ({ pieceId, owner }) => ({ url: `pieces/${pieceId}/owner`, method: 'PUT', body: { owner } }),
      invalidatesTags: (_r, _e, { pieceId }) => ['Pieces', 'People', { type: 'Piece', id: pieceId }],
    }),
  }),
});

/**
 * Why whoever is signed in may not do something; nothing if they may, and where nobody is asked who they are.
 * @param owner whose piece it is about
 */
export function useWhyNot(right: Right, owner: PersonName | null = null): string | null {
  const { data } = accountsApi.useSessionQuery();
  if (!data?.person || mayDo(data.person, right, owner?.id ?? null)) return null;
  return whyNot(data.person, right, owner);
}
