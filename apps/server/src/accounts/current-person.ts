import { AsyncLocalStorage } from 'node:async_hooks';
import type { SignedIn } from '@amber-knit/contracts';

/** Whoever a request comes from: it goes along with all that the request sets off, without being handed on. */
export interface Asking {
  /** Missing if nobody is signed in. */
  person?: SignedIn;
  /** Of the session. */
  tokenHash?: string;
  /** In whose name steps are asked for. */
  name: string | null;
}

const asking = new AsyncLocalStorage<Asking>();

export const currentPerson = (): SignedIn | undefined => asking.getStore()?.person;
export const currentSession = (): string | undefined => asking.getStore()?.tokenHash;
/** The name that goes into the ledger; null without accounts. */
export const currentName = (): string | null => asking.getStore()?.name ?? null;

export const askedBy = <T>(who: Asking, work: () => T): T => asking.run(who, work);
/** Does something that somebody asked for earlier. */
export const inTheNameOf = <T>(name: string | null, work: () => T): T => asking.run({ name }, work);
