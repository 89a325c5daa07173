import type { Role } from '@amber-knit/contracts';

/** What somebody may do, in a sentence's end. */
export const ROLE_WORDS: Readonly<Record<Role, string>> = {
  reviewer: 'looks at every piece and measures on it',
  technician: 'works on the workshop’s pieces and on their own',
  administrator: 'works on every piece, and says who may come in',
};
