import {
  BadRequestException,
  ConflictException,
  ForbiddenException,
  HttpException,
  Injectable,
  NotFoundException,
} from '@nestjs/common';
import { DataSource, IsNull, MoreThan, type EntityManager } from 'typeorm';
import type { InvitationPage, InvitationView, NewInvitation, PersonView, Role } from '@amber-knit/contracts';
import { Invitation, Person, Piece } from '../database/entities.js';
import { GrowingWait } from '../http/growing-wait.js';
import { CHANNELS, StepQueue } from '../steps/step-queue.js';
import { currentName } from './current-person.js';
import { hashPassword, isPassword } from './passwords.js';
import { SessionsService } from './sessions.service.js';
import { hashToken, newToken } from './tokens.js';

const INVITATION_DAYS = 7;
/** Wrong tries before anybody waits: of one name from one address; from one address; of one name from everywhere. */
const FREE_TRIES = { pair: 3, address: 20, name: 50 };

/** Who may come in, and as what. */
@Injectable()
export class PeopleService {
  private readonly waits = {
    pair: new GrowingWait(FREE_TRIES.pair),
    address: new GrowingWait(FREE_TRIES.address),
    name: new GrowingWait(FREE_TRIES.name),
  };

  constructor(
    private readonly db: DataSource,
    private readonly sessions: SessionsService,
    private readonly queue: StepQueue,
  ) {}

  async hasAdministrator(): Promise<boolean> {
    return this.db.manager.existsBy(Person, { role: 'administrator', endedAt: IsNull() });
  }

  /** @throws ConflictException if the name is taken */
  async add(name: string, role: Role, password: string, manager: EntityManager = this.db.manager): Promise<Person> {
    if (await named(name, manager)) throw new ConflictException(`Somebody goes by the name of ${name} already.`);
    return manager.save(manager.create(Person, { name, role, passwordHash: await hashPassword(password) }));
  }

  /**
   * @returns whose name and password these are
   * @throws ForbiddenException if they are nobody's: which of them is wrong is not told; HttpException 429 after too many tries
   */
  async known(name: string, password: string, address: string): Promise<Person> {
    const lower = name.toLowerCase();
    const tries = { pair: `${address} ${lower}`, address, name: lower };
    const wait = Math.max(...KINDS.map((k) => this.waits[k].of(tries[k])));
    if (wait > 0) throw new HttpException(`Too many wrong tries. Try again in ${wait} s.`, 429);
    const person = await named(name, this.db.manager);
    if (!(await isPassword(password, person?.passwordHash)) || !person || person.endedAt) {
      for (const k of KINDS) this.waits[k].failed(tries[k]);
      throw new ForbiddenException('Name and password do not go together. Try again, or ask an administrator.');
    }
    this.waits.pair.succeeded(tries.pair);
    return person;
  }

  async list(): Promise<PersonView[]> {
    return this.db.query(
      `SELECT p.id, p.name, p.role, p.created_at AS since, p.ended_at IS NOT NULL AS ended,
         (SELECT max(s.seen_at) FROM session s WHERE s.person_id = p.id) AS "lastSeenAt",
         (SELECT count(*)::int FROM session s WHERE s.person_id = p.id AND s.ends_at > now()) AS sessions,
         (SELECT count(*)::int FROM piece o WHERE o.owner_id = p.id) AS pieces
       FROM person p ORDER BY p.ended_at IS NOT NULL, lower(p.name)`,
    );
  }

  /**
   * Gives another role, ends an account or opens it again.
   * @throws ConflictException if nobody were left who may do that
   */
  async change(id: string, change: { role?: Role; ended?: boolean }): Promise<void> {
    await this.db.transaction(async (m) => {
      // Two who take the role from each other at once would leave none.
      await m.query('LOCK TABLE person IN SHARE ROW EXCLUSIVE MODE');
      const person = await m.findOneByOrFail(Person, { id });
      if (change.role) person.role = change.role;
      if (change.ended !== undefined) person.endedAt = change.ended ? (person.endedAt ?? new Date()) : null;
      await m.save(person);
      if (!(await m.existsBy(Person, { role: 'administrator', endedAt: IsNull() })))
        throw new ConflictException('Somebody must stay administrator. Make somebody else one first.');
    });
    if (change.ended) await this.sessions.closeAll(id);
  }

  /** @throws ForbiddenException if the old password is wrong */
  async changePassword(id: string, old: string, password: string, here: string | undefined): Promise<void> {
    const { name, passwordHash } = await this.db.manager.findOneByOrFail(Person, { id });
    const wait = this.waits.name.of(name.toLowerCase());
    if (wait > 0) throw new HttpException(`Too many wrong tries. Try again in ${wait} s.`, 429);
    if (!(await isPassword(old, passwordHash))) {
      this.waits.name.failed(name.toLowerCase());
      throw new ForbiddenException('The old password is wrong.');
    }
    await this.db.manager.update(Person, id, { passwordHash: await hashPassword(password) });
    // Whoever else knew the old one is out.
    await this.sessions.closeAll(id, here);
  }

  /** A new password without the old one: for the command, and for whoever opens an invitation. */
  async setPassword(id: string, password: string): Promise<void> {
    await this.db.manager.update(Person, id, { passwordHash: await hashPassword(password) });
    await this.sessions.closeAll(id);
  }

  /** @param personId who is to choose a new password; none: somebody new */
  async invite(role: Role, personId: string | undefined): Promise<NewInvitation> {
    const person = personId ? await this.db.manager.findOneByOrFail(Person, { id: personId }) : null;
    const token = newToken();
    const made = await this.db.manager.save(
      this.db.manager.create(Invitation, {
        tokenHash: hashToken(token),
        role: person?.role ?? role,
        personId: person?.id ?? null,
        by: currentName(),
        endsAt: new Date(Date.now() + INVITATION_DAYS * 86_400_000),
      }),
    );
    return { ...invitationView(made, person), token };
  }

  async invitations(): Promise<InvitationView[]> {
    const rows = await this.db.manager.find(Invitation, {
      where: { endsAt: MoreThan(new Date()) },
      order: { endsAt: 'ASC' },
    });
    const people = await this.db.manager.find(Person);
    return rows.map((row) => invitationView(row, people.find((p) => p.id === row.personId) ?? null));
  }

  async takeBack(id: string): Promise<void> {
    const { affected } = await this.db.manager.delete(Invitation, { id });
    if (!affected) throw new NotFoundException('There is no such invitation.');
  }

  /** @throws NotFoundException if it is wrong, used or has ended: the three are not told apart */
  async opened(token: string, manager: EntityManager = this.db.manager): Promise<InvitationPage> {
    const { role, personId } = await living(token, manager);
    const name = personId ? (await manager.findOneByOrFail(Person, { id: personId })).name : null;
    return { role, name };
  }

  /** Makes the account, or sets the password; the link is used up. @returns who it is */
  async accept(token: string, name: string, password: string): Promise<Person> {
    const person = await this.db.transaction(async (m) => {
      const invitation = await living(token, m);
      await m.delete(Invitation, { id: invitation.id });
      if (!invitation.personId) {
        if (!name) throw new BadRequestException('Say how you want to be called.');
        return this.add(name, invitation.role, password, m);
      }
      const known = await m.findOneByOrFail(Person, { id: invitation.personId });
      if (known.endedAt) throw new ConflictException('This account has ended. Ask an administrator to open it again.');
      return m.save(Object.assign(known, { passwordHash: await hashPassword(password) }));
    });
    await this.sessions.closeAll(person.id);
    return person;
  }

  /** Gives a piece to a person, or to the workshop. @throws ConflictException for somebody whose account has ended */
  async giveTo(pieceId: string, owner: string | null): Promise<void> {
    if (owner !== null) {
      const person = await this.db.manager.findOneByOrFail(Person, { id: owner });
      if (person.endedAt) throw new ConflictException(`${person.name}’s account has ended.`);
      if (person.role === 'reviewer')
        throw new ConflictException(`${person.name} is a reviewer: nobody could work on the piece.`);
    }
    const { affected } = await this.db.manager.update(Piece, { id: pieceId }, { ownerId: owner });
    if (!affected) throw new NotFoundException('There is no such piece.');
    await this.queue.notify(CHANNELS.piece, pieceId);
  }
}

const KINDS = ['pair', 'address', 'name'] as const;

const named = (name: string, manager: EntityManager): Promise<Person | null> =>
  manager.createQueryBuilder(Person, 'p').where('lower(p.name) = lower(:name)', { name }).getOne();

/** @throws NotFoundException */
async function living(token: string, manager: EntityManager): Promise<Invitation> {
  const found = await manager.findOne(Invitation, {
    where: { tokenHash: hashToken(token), endsAt: MoreThan(new Date()) },
    ...(manager.queryRunner?.isTransactionActive ? { lock: { mode: 'pessimistic_write' as const } } : {}),
  });
  if (!found) throw new NotFoundException('This invitation is not there, was used, or has ended. Ask for a new one.');
  return found;
}

const invitationView = ({ id, role, by, endsAt }: Invitation, person: Person | null): InvitationView => ({
  id,
  role,
  person: person && { id: person.id, name: person.name },
  by,
  endsAt: endsAt.toISOString(),
});
