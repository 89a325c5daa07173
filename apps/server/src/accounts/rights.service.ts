import { ForbiddenException, Injectable, UnauthorizedException } from '@nestjs/common';
import { DataSource } from 'typeorm';
import { mayDo, whyNot, type PersonName, type Right } from '@amber-knit/contracts';
import { currentPerson } from './current-person.js';

/** Whether anybody is asked who they are. */
export class AccountsMode {
  constructor(readonly on: boolean) {}
}

/** What a request is about: a piece, or a row that belongs to one. */
export interface Subject {
  table: 'piece' | 'step' | 'capture' | 'artifact' | 'shared_view' | 'remark';
  id: unknown;
}

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** Whether whoever asks may do what they ask for. */
@Injectable()
export class RightsService {
  constructor(
    readonly mode: AccountsMode,
    private readonly db: DataSource,
  ) {}

  /** @throws UnauthorizedException if nobody is signed in; ForbiddenException with why not */
  async mustMay(right: Right, subject?: Subject): Promise<void> {
    if (!this.mode.on || right === 'open') return;
    const person = currentPerson();
    if (!person) throw new UnauthorizedException('Sign in first.');
    const owner = subject && right === 'work' ? await this.ownerOf(subject) : null;
    if (!mayDo(person, right, owner?.id ?? null)) throw new ForbiddenException(whyNot(person, right, owner));
  }

  /** Whose piece it is about; nobody's if it is the workshop's, or not there, which is for the route to say. */
  private async ownerOf({ table, id }: Subject): Promise<PersonName | null> {
    if (typeof id !== 'string' || !UUID.test(id)) return null;
    const piece = table === 'piece' ? '$1::uuid' : `(SELECT piece_id FROM ${table} WHERE id = $1)`;
    const [owner] = (await this.db.query(
      `SELECT o.id, o.name FROM piece p JOIN person o ON o.id = p.owner_id WHERE p.id = ${piece}`,
      [id],
    )) as PersonName[];
    return owner ?? null;
  }
}
