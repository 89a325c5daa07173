/** Who may do what in a workshop with accounts: one rule for server and browser. */

export const ROLES = ['reviewer', 'technician', 'administrator'] as const;
export type Role = (typeof ROLES)[number];

/**
 * What a request needs. `open`: nothing; `use`: to be signed in; of a piece: `look`, `measure` (leaves it as it is) and `work`
 * (changes it); `begin`: to make new pieces; `manage`: to say who may come in.
 */
export type Right = 'open' | 'use' | 'look' | 'measure' | 'begin' | 'work' | 'manage';

export interface PersonName {
  id: string;
  name: string;
}

/** Whoever is signed in. */
export interface SignedIn extends PersonName {
  role: Role;
}

/** What the browser must know before anything else. */
export interface SessionView {
  /** False on a server for one person alone: everybody who reaches it may do everything. */
  accounts: boolean;
  person: SignedIn | null;
}

export interface PersonView extends SignedIn {
  since: string;
  lastSeenAt: string | null;
  /** May no longer come in; what they did stays theirs. */
  ended: boolean;
  /** Places where they are signed in. */
  sessions: number;
  /** Pieces that belong to them. */
  pieces: number;
}

/** A link under which somebody makes an account, or chooses a new password. */
export interface InvitationView {
  id: string;
  role: Role;
  /** Whom it gives a new password; null for somebody new. */
  person: PersonName | null;
  by: string | null;
  endsAt: string;
}

/** The only time that the link is told. */
export interface NewInvitation extends InvitationView {
  token: string;
}

/** What whoever opens an invitation sees. */
export interface InvitationPage {
  role: Role;
  /** The name of whoever chooses a new password; null: it is theirs to choose. */
  name: string | null;
}

const OF_ROLE: Readonly<Record<Role, readonly Right[]>> = {
  reviewer: ['open', 'use', 'look', 'measure'],
  technician: ['open', 'use', 'look', 'measure', 'begin', 'work'],
  administrator: ['open', 'use', 'look', 'measure', 'begin', 'work', 'manage'],
};

/**
 * Whether somebody may do something.
 * @param owner whose piece it is about; null for one of the workshop, or for none
 */
export function mayDo({ id, role }: Pick<SignedIn, 'id' | 'role'>, right: Right, owner: string | null = null): boolean {
  if (!OF_ROLE[role].includes(right)) return false;
  return right !== 'work' || owner === null || owner === id || role === 'administrator';
}

/** Why not, and what to do about it. */
export function whyNot({ role }: Pick<SignedIn, 'role'>, right: Right, owner: PersonName | null = null): string {
  if (right === 'manage') return 'Only an administrator may do that.';
  if (role === 'reviewer') return 'Reviewers look and measure. Ask a technician to change it.';
  if (owner) return `This piece belongs to ${owner.name}. Only ${owner.name} or an administrator may change it.`;
  return 'Your account may not do that.';
}
