import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';

type Terms = { N: number; r: number; p: number; maxmem: number };
const derive = promisify(scrypt) as (password: string, salt: Buffer, length: number, terms: Terms) => Promise<Buffer>;

/** Cost of a guess: 32 MiB and about a tenth of a second three times over, as OWASP's password storage sheet advises for scrypt (from memory). */
const COST = { N: 2 ** 15, r: 8, p: 3 };
/** Node's own defaults: what hashes without a cost were made with. */
const PLAIN = { N: 2 ** 14, r: 8, p: 1 };
const LENGTH = 32;

/** Shorter ones are guessed; longer ones are no passwords (NIST SP 800-63B, section 5.1.1.2). */
export const SHORTEST_PASSWORD = 8;
export const LONGEST_PASSWORD = 200;

/** A password as it is stored: cost, salt and hash (scrypt: C. Percival, S. Josefsson, 2016, RFC 7914). */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hash = await derive(normal(password), salt, LENGTH, withMemory(COST));
  return [COST.N, COST.r, COST.p, salt.toString('hex'), hash.toString('hex')].join(':');
}

/** Whether a password is the one that was stored. Takes as long for a wrong one, and for none. */
export async function isPassword(password: string, stored: string | undefined): Promise<boolean> {
  const parts = (stored ?? NOBODYS).split(':');
  const [hash, salt] = [parts.pop()!, parts.pop()!].map((part) => Buffer.from(part, 'hex'));
  const [N, r, p] = parts.length === 3 ? parts.map(Number) : [PLAIN.N, PLAIN.r, PLAIN.p];
  // Hashes without a cost were made of the letters as they were typed.
  const typed = parts.length === 3 ? normal(password) : password;
  const given = await derive(typed, salt, hash.length, withMemory({ N, r, p }));
  return timingSafeEqual(given, hash) && stored !== undefined;
}

/** What is compared with where nobody goes by a name: no password gives it. */
const NOBODYS = [COST.N, COST.r, COST.p, '00'.repeat(16), '00'.repeat(LENGTH)].join(':');

/** The same letters written in two ways are one password. */
const normal = (password: string): string => password.normalize('NFKC');

const withMemory = (cost: typeof COST): Terms => ({ ...cost, maxmem: 256 * cost.N * cost.r });
