import { createHash, randomBytes } from 'node:crypto';

/** Too many to guess: 192 bits. */
const BYTES = 24;

export const newToken = (): string => randomBytes(BYTES).toString('base64url');

/** What is stored of a token: who reads the database can't come in with it. */
export const hashToken = (token: string): string => createHash('sha256').update(token).digest('hex');
