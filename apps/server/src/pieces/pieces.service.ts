import { ConflictException, Injectable, NotFoundException } from '@nestjs/common';
import { DataSource, In } from 'typeorm';
import type { PieceSummary, PieceView, PlanAnswers, VersionView } from '@amber-knit/contracts';
import { summarizeScans, type PieceStats } from '@amber-knit/operations';
import { advise } from '@amber-knit/planning';
import { Piece, Step, PieceState, type ScanLabel } from '../database/entities.js';
import { BlobStore } from '../storage/blob-store.js';
import { CHANNELS, StepQueue } from '../steps/step-queue.js';
import { stepView } from '../steps/step-view.js';
import { PieceStore } from './piece-store.js';
import { buildPieceView } from './piece-view.js';
import { ScanCopier } from './scan-copier.js';

@Injectable()
export class PiecesService {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly store: PieceStore,
    private readonly queue: StepQueue,
  ) {}

  async list(): Promise<PieceSummary[]> {
    const pieces = await this.db.manager.find(Piece, { order: { createdAt: 'ASC' } });
    return Promise.all(
      pieces.map(async (p) => {
        const { id, name, note, scans, points, stage, triangles, watertight, updatedAt, picture } = await this.view(
          p.id,
        );
        return { id, name, note, scans, points, stage, triangles, watertight, updatedAt, picture };
      }),
    );
  }

  view(id: string): Promise<PieceView> {
    return buildPieceView(this.db, this.blobs, id);
  }

  async create(name: string, note: string): Promise<PieceView> {
    const piece = await this.db.manager.save(this.db.manager.create(Piece, { name, note }));
    await this.db.transaction((m) => this.store.advance(piece.id, null, { clouds: {} }, m));
    return this.view(piece.id);
  }

  async change(id: string, change: { name?: string; note?: string; plan?: PlanAnswers }): Promise<PieceView> {
    const piece = await this.db.manager.findOneByOrFail(Piece, { id });
    await this.db.manager.save(Object.assign(piece, change));
    await this.queue.notify(CHANNELS.piece, id);
    return this.view(id);
  }

  /**
   * Renames scans, moves them to another setup, colours them, notes something about them.
   * @throws GeometryError `invalid-parameter`; ConflictException while a step runs, which knows them by their old names
   */
  async label(id: string, scanIds: string[], label: ScanLabel): Promise<PieceView> {
    await this.db.manager.findOneByOrFail(Piece, { id });
    await this.assertSettled(id, 'Change the scan once it has come to its end.');
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
    await this.db.manager.findOneByOrFail(Piece, { id: to });
    await this.assertSettled(to, 'Copy the scans once it has come to its end.');
    await this.db.transaction((m) => new ScanCopier(this.blobs, this.store).copy(from, scanIds, to, m));
    await this.queue.notify(CHANNELS.piece, to);
    return this.view(to);
  }

  /** @returns the piece after moving; unchanged if there was nothing to undo or redo */
  async move(id: string, direction: 'undo' | 'redo'): Promise<PieceView> {
    await this.db.manager.findOneByOrFail(Piece, { id });
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
    return buildPieceView(this.db, this.blobs, id, stateId);
  }

  /** @throws NotFoundException if the state is not one to go to; ConflictException while a step runs */
  async moveTo(id: string, stateId: string): Promise<PieceView> {
    await this.assertSettled(id, 'Go to another version once it has come to its end.');
    if (!(await this.store.moveTo(id, stateId))) throw new NotFoundException('There is no such version to go to.');
    await this.queue.notify(CHANNELS.piece, id);
    return this.view(id);
  }

  private async assertSettled(pieceId: string, advice: string): Promise<void> {
    const open = await this.db.manager.existsBy(Step, { pieceId, status: In(['queued', 'running']) });
    if (open) throw new ConflictException(`A step is running. ${advice}`);
  }

  /** Facts for suggested parameters, from what is stored beside the data. */
  async stats(id: string): Promise<PieceStats> {
    const view = await this.view(id);
    const facts = summarizeScans(
      view.scanList.map((s) => ({
        name: s.name,
        points: Number(s.cloud.facts.points),
        spacing: Number(s.cloud.facts.spacing),
        diagonal: Number(s.cloud.facts.diagonal),
        hasFrames: s.frames > 0,
        hasColors: Boolean(s.cloud.facts.colours),
      })),
      view.triangles,
      view.model !== null,
    );
    return { ...facts, name: view.name, plan: view.plan ? advise(view.plan, []).defaults : undefined };
  }
}
