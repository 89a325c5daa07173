import { Injectable } from '@nestjs/common';
import { DataSource, In } from 'typeorm';
import type { PieceSummary, PieceView } from '@amber-knit/contracts';
import type { Placement } from '@amber-knit/core/geometry';
import { Artifact, Person, Piece, PieceState, ScanRow, Step } from '../database/entities.js';
import { decodePlacements } from '../storage/artifact-codec.js';
import { BlobStore } from '../storage/blob-store.js';
import { viewOfPiece, type PieceRows } from './piece-view.js';

/** Pieces read at a time: their rows are held together. */
const AT_A_TIME = 50;
/** Decoded placements kept: they never change, and every look at a piece wants them. */
const KEPT_PLACEMENTS = 500;

/** Reads what is shown of pieces: one as a whole, or a summary of each for the shelf. */
@Injectable()
export class PieceReader {
  private readonly placements = new Map<string, Placement[]>();
  /** By piece: what it was made of, and the summary. */
  private readonly summaries = new Map<string, { mark: string; summary: PieceSummary }>();

  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
  ) {}

  /** @throws EntityNotFoundError if there is no such piece or state */
  async view(id: string, stateId?: string): Promise<PieceView> {
    const piece = await this.db.manager.findOneByOrFail(Piece, { id });
    const [rows] = await this.rowsOf([piece], stateId);
    return viewOfPiece(rows);
  }

  /** Summaries of the pieces on the shelf, the oldest first. Only those that changed since the last time are read. */
  async list(): Promise<PieceSummary[]> {
    const marks = await this.marks();
    const old = marks.filter(({ id, mark }) => this.summaries.get(id)?.mark !== mark);
    for (let k = 0; k < old.length; k += AT_A_TIME) {
      const part = new Map(old.slice(k, k + AT_A_TIME).map(({ id, mark }) => [id, mark]));
      const pieces = await this.db.manager.findBy(Piece, { id: In([...part.keys()]) });
      for (const rows of await this.rowsOf(pieces)) {
        const { id } = rows.piece;
        this.summaries.set(id, { mark: part.get(id)!, summary: summaryOf(viewOfPiece(rows)) });
      }
    }
    // A piece that was emptied while this was read is on no shelf; one that was put away is forgotten.
    const there = new Set(marks.map(({ id }) => id));
    for (const id of this.summaries.keys()) if (!there.has(id)) this.summaries.delete(id);
    return marks.flatMap(({ id }) => this.summaries.get(id)?.summary ?? []);
  }

  /**
   * What tells whether a summary is still right: which versions the rows of the piece, its owner and its steps have (`xmin`, the
   * transaction that wrote them), and how many steps there are. All else in it never changes. A sum, since of two changes the
   * one that was begun first may be the later one to show.
   */
  private marks(): Promise<{ id: string; mark: string }[]> {
    return this.db.query(
      `SELECT p.id, concat_ws(' ', p.xmin, o.xmin, s.count, s.versions) AS mark
       FROM piece p
       LEFT JOIN person o ON o.id = p.owner_id
       LEFT JOIN (
         SELECT piece_id, count(*) AS count, sum(xmin::text::bigint) AS versions FROM step GROUP BY piece_id
       ) s ON s.piece_id = p.id
       WHERE p.away_at IS NULL
       ORDER BY p.created_at`,
    );
  }

  private async rowsOf(pieces: readonly Piece[], stateId?: string): Promise<PieceRows[]> {
    const { manager } = this.db;
    const pieceId = In(pieces.map((p) => p.id));
    const states = pieces.flatMap((p) => stateId ?? p.stateId ?? []);
    const owners = pieces.flatMap((p) => p.ownerId ?? []);
    const [state, owner, scans, artifacts, steps] = await Promise.all([
      manager.findBy(PieceState, { id: In(states) }).then(byId),
      owners.length > 0 ? manager.findBy(Person, { id: In(owners) }).then(byId) : new Map<string, Person>(),
      manager.find(ScanRow, { where: { pieceId }, order: { colorIndex: 'ASC' } }).then(byPiece),
      manager.findBy(Artifact, { pieceId }).then(byPiece),
      manager.find(Step, { where: { pieceId }, order: { number: 'ASC' } }).then(byPiece),
    ]);
    const out: PieceRows[] = [];
    for (const piece of pieces) {
      const shown = stateId ?? piece.stateId;
      const rows = {
        piece,
        owner: owner.get(piece.ownerId ?? '') ?? null,
        // One that was asked for by name and is not there is said to be missing.
        state: shown ? (state.get(shown) ?? (await manager.findOneByOrFail(PieceState, { id: shown }))) : undefined,
        scans: scans.get(piece.id) ?? [],
        artifacts: artifacts.get(piece.id) ?? [],
        steps: steps.get(piece.id) ?? [],
      };
      out.push({ ...rows, placements: await this.placementsOf(rows) });
    }
    return out;
  }

  private async placementsOf({ state, artifacts }: Pick<PieceRows, 'state' | 'artifacts'>): Promise<Placement[]> {
    const id = state?.heads.placements;
    if (!id) return [];
    const sha = artifacts.find((a) => a.id === id)!.blobSha256;
    const known = this.placements.get(sha) ?? decodePlacements(await this.blobs.get(sha));
    this.placements.delete(sha);
    this.placements.set(sha, known);
    if (this.placements.size > KEPT_PLACEMENTS) this.placements.delete(this.placements.keys().next().value!);
    return known;
  }
}

const byId = <T extends { id: string }>(rows: readonly T[]): Map<string, T> => new Map(rows.map((r) => [r.id, r]));

function byPiece<T extends { pieceId: string }>(rows: readonly T[]): Map<string, T[]> {
  const out = new Map<string, T[]>();
  for (const r of rows) {
    const list = out.get(r.pieceId);
    if (list) list.push(r);
    else out.set(r.pieceId, [r]);
  }
  return out;
}

function summaryOf(view: PieceView): PieceSummary {
  const { id, name, note, scans, points, stage, triangles, watertight, updatedAt, picture, running, owner } = view;
  return { id, name, note, scans, points, stage, triangles, watertight, updatedAt, picture, running, owner };
}
