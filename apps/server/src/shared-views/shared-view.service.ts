import { timingSafeEqual } from 'node:crypto';
import {
  BadRequestException,
  HttpException,
  Injectable,
  NotFoundException,
  UnauthorizedException,
} from '@nestjs/common';
import { DataSource, In } from 'typeorm';
import type { SharedPage, SharedView, SharedViewTerms } from '@amber-knit/contracts';
import { hashPassword, isPassword } from '../accounts/passwords.js';
import { newToken } from '../accounts/tokens.js';
import { Artifact, Piece, SharedViewRow, type Heads } from '../database/entities.js';
import { PieceStore } from '../pieces/piece-store.js';
import { GrowingWait } from '../http/growing-wait.js';

const TOKEN = /^[\w-]{32}$/;
/** What of a piece may be looked at through a link. */
export const SHARED_SLOTS = ['mesh', 'model', 'light', 'picture', 'dimensions'] as const;
export type SharedSlot = (typeof SHARED_SLOTS)[number];
const SURFACES = ['light', 'model', 'mesh'] as const;

const passwordWanted = (): HttpException => new UnauthorizedException('This view asks for a password.');
const tooManyTries = (seconds: number): HttpException =>
  new HttpException(`Too many wrong passwords. Try again in ${seconds} s.`, 429);

/**
 * Read-only views of a piece under links that can't be guessed. A link shows the piece as it stood when it was shared, or when
 * it was brought up to date, and ends when somebody ends it or on its day. Nothing but what it names can be reached through it.
 */
@Injectable()
export class SharedViewService {
  private readonly waits = new GrowingWait();

  constructor(
    private readonly db: DataSource,
    private readonly store: PieceStore,
    /** Where the pages are reached; empty: where the server is. */
    private readonly origin: string,
  ) {}

  async list(pieceId: string): Promise<SharedView[]> {
    const heads = await this.headsOf(pieceId);
    const rows = await this.db.manager.find(SharedViewRow, { where: { pieceId }, order: { createdAt: 'ASC' } });
    return rows.map((row) => this.view(row, heads));
  }

  /** @throws BadRequestException without a surface, or for files that are not this piece's */
  async share(pieceId: string, terms: SharedViewTerms, password: string | undefined): Promise<SharedView> {
    const heads = await this.headsOf(pieceId);
    await this.mustBeFiles(pieceId, terms.files);
    const row = await this.db.manager.save(
      this.db.manager.create(SharedViewRow, {
        pieceId,
        token: newToken(),
        heads: shareable(heads),
        ...columnsOf(terms),
        ...(await locked(password)),
      }),
    );
    return this.view(row, heads);
  }

  /** Changes what is allowed. A password is kept if none is given, and taken away by an empty one. */
  async change(id: string, terms: SharedViewTerms, password: string | undefined): Promise<SharedView> {
    const row = await this.owned(id);
    await this.mustBeFiles(row.pieceId, terms.files);
    Object.assign(row, columnsOf(terms), password === undefined ? {} : await locked(password));
    await this.db.manager.save(row);
    return this.view(row, await this.headsOf(row.pieceId));
  }

  /** Shows the piece as it stands now. */
  async bringUpToDate(id: string): Promise<SharedView> {
    const row = await this.owned(id);
    const heads = await this.headsOf(row.pieceId);
    row.heads = shareable(heads);
    await this.db.manager.save(row);
    return this.view(row, heads);
  }

  /** The link is good for nothing from now on. */
  async end(id: string): Promise<void> {
    await this.owned(id);
    await this.db.manager.delete(SharedViewRow, { id });
  }

  /**
   * The view of a token that is open for whoever holds this key.
   * @throws NotFoundException for one that is wrong, or has ended: the two are not told apart
   * @throws UnauthorizedException if it asks for a password
   */
  async open(token: string, key: string | undefined): Promise<SharedViewRow> {
    const row = await this.living(token);
    if (row.passwordHash && !sameText(key, row.passKey!)) throw passwordWanted();
    return row;
  }

  /** What the page shows; counted as an opening. */
  async page(row: SharedViewRow): Promise<SharedPage> {
    const { name } = await this.db.manager.findOneByOrFail(Piece, { id: row.pieceId });
    const artifacts = await this.db.manager.findBy(Artifact, { id: In([...Object.values(row.heads), ...row.files]) });
    const facts = (id: string | undefined): Artifact['facts'] => artifacts.find((a) => a.id === id)?.facts ?? {};
    const surfaces = SURFACES.filter((s) => row.heads[s]);
    await this.db.manager.update(SharedViewRow, row.id, { opened: row.opened + 1, lastOpenedAt: new Date() });
    return {
      title: name,
      note: row.note,
      looks: row.looks as SharedPage['looks'],
      measuring: row.measuring,
      surfaces,
      triangles: Number(facts(row.heads.mesh).triangles ?? 0),
      pictures: row.heads.picture ? Number(facts(row.heads.picture).views ?? 1) : 0,
      dimensions: row.dimensions && row.heads.dimensions !== undefined,
      files: row.files.map((id) => ({ name: String(facts(id).name ?? 'file'), bytes: Number(facts(id).bytes ?? 0) })),
      sharedAt: row.createdAt.toISOString(),
    };
  }

  /** @returns the key to go on with @throws HttpException 404, 401 for a wrong one, 429 after too many */
  async unlock(token: string, password: string): Promise<string> {
    const row = await this.living(token);
    const { passwordHash, passKey } = row;
    if (!passwordHash) return '';
    const wait = this.waits.of(row.id);
    if (wait > 0) throw tooManyTries(wait);
    if (!(await isPassword(password, passwordHash))) {
      this.waits.failed(row.id);
      throw passwordWanted();
    }
    this.waits.succeeded(row.id);
    return passKey!;
  }

  /** The artifact that a view shows in a slot. @throws NotFoundException if it does not show that */
  async artifact(row: SharedViewRow, slot: string): Promise<Artifact> {
    const id = slot === 'dimensions' && !row.dimensions ? undefined : row.heads[slot as SharedSlot];
    return this.existing(id);
  }

  /** One of the files that may be downloaded. @throws NotFoundException */
  file(row: SharedViewRow, at: number): Promise<Artifact> {
    return this.existing(row.files[at]);
  }

  private async existing(id: string | undefined): Promise<Artifact> {
    const artifact = id ? await this.db.manager.findOneBy(Artifact, { id }) : null;
    if (!artifact) throw nothingHere();
    return artifact;
  }

  private async living(token: string): Promise<SharedViewRow> {
    const row = TOKEN.test(token) ? await this.db.manager.findOneBy(SharedViewRow, { token }) : null;
    const piece = row && !hasEnded(row) ? await this.db.manager.findOneBy(Piece, { id: row.pieceId }) : null;
    // A piece that was put away is not to be looked at.
    if (!row || !piece || piece.awayAt) throw nothingHere();
    return row;
  }

  private async owned(id: string): Promise<SharedViewRow> {
    const row = await this.db.manager.findOneBy(SharedViewRow, { id });
    if (!row) throw new NotFoundException('There is no such shared view.');
    return row;
  }

  private async headsOf(pieceId: string): Promise<Heads> {
    const piece = await this.db.manager.findOneBy(Piece, { id: pieceId });
    if (!piece) throw new NotFoundException('There is no such piece.');
    return this.store.heads(piece);
  }

  private async mustBeFiles(pieceId: string, files: readonly string[]): Promise<void> {
    const known = await this.db.manager.countBy(Artifact, { pieceId, kind: 'file', id: In([...files]) });
    if (known < new Set(files).size)
      throw new BadRequestException('One of the files is no longer there. Choose among those that were delivered.');
  }

  private view(row: SharedViewRow, heads: Heads): SharedView {
    const now = JSON.stringify(plain(heads));
    return {
      id: row.id,
      address: `${this.origin}/s/${row.token}`,
      name: row.name,
      note: row.note,
      looks: row.looks as SharedView['looks'],
      measuring: row.measuring,
      dimensions: row.dimensions,
      files: row.files,
      endsAt: row.endsAt?.toISOString() ?? null,
      hasPassword: row.passwordHash !== null,
      createdAt: row.createdAt.toISOString(),
      ended: hasEnded(row),
      opened: row.opened,
      lastOpenedAt: row.lastOpenedAt?.toISOString() ?? null,
      current: JSON.stringify(plain(row.heads)) === now,
    };
  }
}

const nothingHere = (): NotFoundException => new NotFoundException('There is nothing here.');
const hasEnded = ({ endsAt }: SharedViewRow): boolean => endsAt !== null && endsAt.getTime() <= Date.now();

/** The slots that can be shared, always in the same order. */
const plain = (heads: Partial<Record<SharedSlot, string>>): SharedViewRow['heads'] =>
  Object.fromEntries(SHARED_SLOTS.flatMap((slot) => (heads[slot] ? [[slot, heads[slot]]] : [])));

function shareable(heads: Heads): SharedViewRow['heads'] {
  if (!heads.mesh)
    throw new BadRequestException('There is no surface to show yet. Fuse the scans, or bring in a surface.');
  return plain(heads);
}

const columnsOf = ({ endsAt, ...terms }: SharedViewTerms): Partial<SharedViewRow> => ({
  ...terms,
  endsAt: endsAt === null ? null : new Date(endsAt),
});

/** Columns of a password; an empty one is none. */
async function locked(password: string | undefined): Promise<Partial<SharedViewRow>> {
  if (!password) return { passwordHash: null, passKey: null };
  // A new password shuts out whoever came in with the old one.
  return {
    passwordHash: await hashPassword(password),
    passKey: newToken(),
  };
}

function sameText(a: string | undefined, b: string): boolean {
  const [x, y] = [Buffer.from(a ?? ''), Buffer.from(b)];
  return x.length === y.length && timingSafeEqual(x, y);
}
