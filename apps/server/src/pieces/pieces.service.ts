import { Injectable, NotFoundException } from '@nestjs/common';
import { DataSource } from 'typeorm';
import type { PieceSummary, PieceView, PlanAnswers, VersionView } from '@amber-knit/contracts';
import { summarizeScans, type PieceStats } from '@amber-knit/operations';
import { advise } from '@amber-knit/planning';
import { Piece, Step, PieceState, type ScanLabel } from '../database/entities.js';
import { BlobStore } from '../storage/blob-store.js';
import { CHANNELS, StepQueue } from '../steps/step-queue.js';
import { stepView } from '../steps/step-view.js';
import { lockPiece, lockSettledPiece } from './piece-lock.js';
import { PieceStore } from './piece-store.js';
import { PieceReader } from './piece-reader.js';
import { ScanCopier } from './scan-copier.js';

@Injectable()
export class PiecesService {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly store: PieceStore,
    private readonly queue: StepQueue,
    private readonly reader: PieceReader,
  ) {}

  list(): Promise<PieceSummary[]> {
    return this.reader.list();
  }

  view(id: string): Promise<PieceView> {
    return this.reader.view(id);
  }

  async create(name: string, note: string): Promise<PieceView> {
    const piece = await this.db.transaction(async (m) => {
      const made = await m.save(m.create(Piece, { name, note }));
      await this.store.advance(made.id, null, { clouds: {} }, m);
      return made;
    });
    return this.view(piece.id);
  }

  async change(id: string, change: { name?: string; note?: string; plan?: PlanAnswers }): Promise<PieceView> {
    await this.db.transaction(async (m) => m.save(Object.assign(await lockPiece(id, m), change)));
    await this.queue.notify(CHANNELS.piece, id);
    return this.view(id);
  }

  /**
   * Renames scans, moves them to another setup, colours them, notes something about them.
   * @throws GeometryError `invalid-parameter`; ConflictException while a step runs, which knows them by their old names
   */
  async label(id: string, scanIds: string[], label: ScanLabel): Promise<PieceView> {
    await this.store.label(id, scanIds, label);
    await this.queue.notify(CHANNELS.piece, id);
    return this.view(id);
  }

  /**
   * Copies scans of a piece, with their frames, to another or to itself. @returns the piece they came to
   * @throws GeometryError `invalid-parameter`; ConflictException while a step runs there
   */
  async copyScans(from: string, scanIds: string[], to: string): Promise<PieceView> {
    await this.db.manager.findOneByOrFail(Piece, { id: from });
    await this.db.transaction(async (manager) => {
      await lockSettledPiece(to, 'Copy the scans once it has come to its end.', manager);
      await new ScanCopier(this.blobs, this.store).copy(from, scanIds, to, manager);
    });
    await this.queue.notify(CHANNELS.piece, to);
    return this.view(to);
  }

  /**
   * @returns the piece after moving; unchanged if there was nothing to undo or redo
   * @throws ConflictException while a step runs
   */
  async move(id: string, direction: 'undo' | 'redo'): Promise<PieceView> {
    if (await this.store.move(id, direction)) await this.queue.notify(CHANNELS.piece, id);
    return this.view(id);
  }

  /** Every state on the way to where the piece stands, and those that can be redone. */
  async versions(id: string): Promise<VersionView[]> {
    const { before, current, after } = await this.store.line(id);
    const steps = new Map((await this.db.manager.findBy(Step, { pieceId: id })).map((s) => [s.id, stepView(s)]));
    const view =
      (place: VersionView['place']) =>
      (state: PieceState): VersionView => {
        const step = state.stepId ? steps.get(state.stepId) : undefined;
        const empty = Object.keys(state.heads.clouds).length === 0;
        const first = empty ? 'Empty piece' : 'As it began';
        const title = step?.title ?? (state.parentId ? 'Names, setups or notes of scans, or copies' : first);
        const { id, stepId } = state;
        return { id, title, detail: step?.summary ?? '', stepId, at: state.createdAt.toISOString(), place };
      };
    return [...before.map(view('before')), ...(current ? [view('current')(current)] : []), ...after.map(view('after'))];
  }

  /** The piece as it stood at a version. @throws NotFoundException if it never stood so */
  async at(id: string, stateId: string): Promise<PieceView> {
    if (!(await this.db.manager.existsBy(PieceState, { id: stateId, pieceId: id })))
      throw new NotFoundException('There is no such version.');
    return this.reader.view(id, stateId);
  }

  /** @throws NotFoundException if the state is not one to go to; ConflictException while a step runs */
  async moveTo(id: string, stateId: string): Promise<PieceView> {
    if (!(await this.store.moveTo(id, stateId))) throw new NotFoundException('There is no such version to go to.');
    await this.queue.notify(CHANNELS.piece, id);
    return this.view(id);
  }

  /** Facts for suggested parameters, from what is stored beside the data. */
  async stats(id: string): Promise<PieceStats> {
    return this.statsOf(await this.view(id));
  }

  statsOf(view: PieceView): PieceStats {
    const facts = summarizeScans(
      view.scanList.map((s) => ({
        name: s.name,
        points: Number(s.cloud.facts.points),
        spacing: Number(s.cloud.facts.spacing),
        diagonal: Number(s.cloud.facts.diagonal),
        hasFrames: s.frames > 0,
        unrefined: Boolean(s.cloud.facts.unrefined),
        hasColors: Boolean(s.cloud.facts.colours),
      })),
      view.triangles,
      { hasModel: view.model !== null, hasLight: view.light !== null },
    );
    return {
      ...facts,
      name: view.name,
      surface: view.surface ?? undefined,
      plan: view.plan ? advise(view.plan, []).defaults : undefined,
    };
  }
}
