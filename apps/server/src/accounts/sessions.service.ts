import { Injectable } from '@nestjs/common';
import { DataSource, LessThan, Not } from 'typeorm';
import type { SignedIn } from '@amber-knit/contracts';
import { Invitation, Session } from '../database/entities.js';
import { hashToken, newToken } from './tokens.js';

/** A session ends after so many days, or so many hours after it was last used; a page that is open uses it. */
const LONGEST_DAYS = 30;
const IDLE_HOURS = 14;
/** Being seen is written down once a minute. */
const SEEN_EVERY_S = 60;

/** Who is signed in where. Each session is a row: ended there, it is ended everywhere. */
@Injectable()
export class SessionsService {
  constructor(private readonly db: DataSource) {}

  /** @returns the token for the cookie; only its hash is kept */
  async open(personId: string): Promise<string> {
    const token = newToken();
    const now = Date.now();
    // Those that have ended go when others begin.
    await this.db.manager.delete(Session, { endsAt: LessThan(new Date(now)) });
    await this.db.manager.delete(Invitation, { endsAt: LessThan(new Date(now)) });
    await this.db.manager.insert(Session, {
      tokenHash: hashToken(token),
      personId,
      seenAt: new Date(now),
      endsAt: new Date(now + LONGEST_DAYS * 86_400_000),
    });
    return token;
  }

  /** Who holds a token; nobody if it is wrong, has ended or was not used for long. */
  async holder(token: string): Promise<(SignedIn & { tokenHash: string }) | undefined> {
    const tokenHash = hashToken(token);
    const person = await this.find(tokenHash);
    return person && { ...person, tokenHash };
  }

  private async find(tokenHash: string): Promise<SignedIn | undefined> {
    const [row] = (await this.db.query(
      `SELECT p.id, p.name, p.role, s.seen_at < now() - make_interval(secs => $2) AS "unseen"
       FROM session s JOIN person p ON p.id = s.person_id
       WHERE s.token_hash = $1 AND p.ended_at IS NULL AND s.ends_at > now() AND s.seen_at > now() - make_interval(hours => $3)`,
      [tokenHash, SEEN_EVERY_S, IDLE_HOURS],
    )) as (SignedIn & { unseen: boolean })[];
    if (!row) return undefined;
    if (row.unseen) await this.db.manager.update(Session, { tokenHash }, { seenAt: new Date() });
    return { id: row.id, name: row.name, role: row.role };
  }

  async isOpen(tokenHash: string): Promise<boolean> {
    return (await this.find(tokenHash)) !== undefined;
  }

  async close(tokenHash: string): Promise<void> {
    await this.db.manager.delete(Session, { tokenHash });
  }

  /** Signs somebody out everywhere, or everywhere but here. */
  async closeAll(personId: string, butHere?: string): Promise<void> {
    await this.db.manager.delete(Session, { personId, ...(butHere ? { tokenHash: Not(butHere) } : {}) });
  }
}
