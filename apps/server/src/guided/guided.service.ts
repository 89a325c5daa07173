import { Injectable, Logger, NotFoundException, type OnModuleDestroy, type OnModuleInit } from '@nestjs/common';
import type { Subscription } from 'rxjs';
import { DataSource, type EntityManager } from 'typeorm';
import type { GuidedState, GuidedStatus, GuidedStepView, GuidedView } from '@amber-knit/contracts';
import { findOperation } from '@amber-knit/operations';
import { firstGuideAnswers, type GuideAnswers } from '@amber-knit/planning';
import {
  decide,
  likelySeconds,
  nextMove,
  parseRecipe,
  recipeOfLine,
  type GuideMemory,
  type MadeRecipe,
  type Move,
  type Outlook,
  type PastRun,
} from '@amber-knit/recipes';
import { currentName, inTheNameOf } from '../accounts/current-person.js';
import { GuidedRun, Piece, Step } from '../database/entities.js';
import { EventsService } from '../events/events.service.js';
import { lockPiece, lockSettledPiece } from '../pieces/piece-lock.js';
import { PieceStore } from '../pieces/piece-store.js';
import { PiecesService } from '../pieces/pieces.service.js';
import { CHANNELS, StepQueue } from '../steps/step-queue.js';
import { StepsService } from '../steps/steps.service.js';
import { pieceGround, type PieceFacts } from './piece-ground.js';

/** Runs that nothing was heard of are looked at as often: an event may have been lost. */
const SWEEP_MS = 15_000;
/** Past runs of all pieces that times are learnt from. */
const PAST_RUNS = 400;

/**
 * Drives guided runs. What comes next follows from what is stored alone, so any server may drive any run, at any time, and one that
 * was stopped goes on where it was: each change of a piece, and each sweep, asks what comes next and queues it.
 */
@Injectable()
export class GuidedService implements OnModuleInit, OnModuleDestroy {
  private readonly log = new Logger(GuidedService.name);
  private readonly driving = new Map<string, { again: boolean }>();
  /** One change after the other: each holds a connection while it reads with others, and together they could hold them all. */
  private last: Promise<unknown> = Promise.resolve();
  private events?: Subscription;
  private timer?: NodeJS.Timeout;
  private closed = false;

  constructor(
    private readonly db: DataSource,
    private readonly pieces: PiecesService,
    private readonly store: PieceStore,
    private readonly steps: StepsService,
    private readonly queue: StepQueue,
    private readonly heard: EventsService,
  ) {}

  onModuleInit(): void {
    this.events = this.heard.events.subscribe((event) => {
      if (event.type === 'piece') this.drive(event.pieceId);
      else if (event.type === 'anew') this.sweep();
      else if (!['queued', 'running'].includes(event.step.status)) this.drive(event.step.pieceId);
    });
    this.timer = setInterval(() => this.sweep(), SWEEP_MS);
    this.timer.unref();
    this.sweep();
  }

  onModuleDestroy(): void {
    this.closed = true;
    this.events?.unsubscribe();
    clearInterval(this.timer);
  }

  async view(pieceId: string): Promise<GuidedState> {
    const { plan } = await this.db.manager.findOneByOrFail(Piece, { id: pieceId });
    const first = firstGuideAnswers(plan);
    const run = await this.db.manager.findOneBy(GuidedRun, { pieceId });
    if (!run) return { run: null, first };
    const facts = await this.facts(run);
    return { run: await this.viewOf(run, facts, nextMove(memoryOf(run), pieceGround(facts))), first };
  }

  /** Starts a run, or gives one other answers. */
  answer(pieceId: string, answers: GuideAnswers): Promise<GuidedState> {
    return this.begin(pieceId, { answers, recipe: null });
  }

  /** Runs a recipe; a person is asked at the same places. @throws GeometryError `invalid-parameter` if it is none */
  async follow(pieceId: string, recipe: unknown): Promise<GuidedState> {
    const { plan } = await this.db.manager.findOneByOrFail(Piece, { id: pieceId });
    return this.begin(pieceId, { answers: firstGuideAnswers(plan), recipe: parseRecipe(recipe) });
  }

  /** What was done to a piece, as a recipe for others. */
  async recipe(pieceId: string): Promise<MadeRecipe> {
    const { name } = await this.db.manager.findOneByOrFail(Piece, { id: pieceId });
    const facts = await this.facts({ pieceId, steps: [], sinceNumber: 0 });
    return recipeOfLine(name, pieceGround(facts).line, facts.stats);
  }

  private async begin(pieceId: string, how: Pick<GuidedRun, 'answers' | 'recipe'>): Promise<GuidedState> {
    await this.alone(async (m) => {
      await lockPiece(pieceId, m);
      const run =
        (await m.findOneBy(GuidedRun, { pieceId })) ?? m.create(GuidedRun, { pieceId, decided: {}, steps: [] });
      const sinceNumber = await newestNumber(pieceId, m);
      await m.save(Object.assign(run, { ...how, leftOut: [], paused: false, sinceNumber, by: currentName() }));
    });
    return this.changed(pieceId);
  }

  /** @throws NotFoundException if nothing is asked so; GeometryError `invalid-parameter` if there is no such choice */
  async decide(pieceId: string, key: string, choice: string): Promise<GuidedState> {
    await this.alone(async (m) => {
      await lockPiece(pieceId, m);
      const run = await this.found(pieceId, m);
      const { move, stops } = nextMove(memoryOf(run), pieceGround(await this.facts(run)));
      const asked = move.kind === 'ask' ? [move.stop] : [];
      const stop = [...asked, ...stops].find((s) => s.key === key);
      if (!stop) throw new NotFoundException('This is no longer asked: the piece has changed since.');
      const result = decide(memoryOf(run), stop, choice);
      if (result.goBackBefore !== undefined) {
        await lockSettledPiece(pieceId, 'Decide once it has come to its end.', m);
        await this.goBackBefore(pieceId, result.goBackBefore, m);
        run.sinceNumber = await newestNumber(pieceId, m);
      }
      const { answers, decided, leftOut } = result.memory;
      const paused = result.pause ?? run.paused;
      await m.save(Object.assign(run, { answers, decided, leftOut, paused, by: currentName() }));
    });
    return this.changed(pieceId);
  }

  async pause(pieceId: string, paused: boolean): Promise<GuidedState> {
    await this.alone(async (m) => {
      await lockPiece(pieceId, m);
      const run = await this.found(pieceId, m);
      // Whoever says "go on" after going back means from there.
      const sinceNumber = paused ? run.sinceNumber : await newestNumber(pieceId, m);
      await m.save(Object.assign(run, { paused, sinceNumber, by: currentName() }));
    });
    return this.changed(pieceId);
  }

  private alone<T>(work: (manager: EntityManager) => Promise<T>): Promise<T> {
    const mine = this.last.then(() => this.db.transaction(work));
    this.last = mine.catch(() => undefined);
    return mine;
  }

  private async found(pieceId: string, manager: EntityManager): Promise<GuidedRun> {
    const run = await manager.findOneBy(GuidedRun, { pieceId });
    if (!run) throw new NotFoundException('This piece has no guided run.');
    return run;
  }

  /** The piece stands as it did before a step; what came after can be redone. */
  private async goBackBefore(pieceId: string, stepId: string, manager: EntityManager): Promise<void> {
    const { before, current } = await this.store.line(pieceId, manager);
    const line = [...before, ...(current ? [current] : [])];
    const at = line.findIndex((s) => s.stepId === stepId);
    if (at <= 0) throw new NotFoundException('What is to be taken back no longer stands.');
    const piece = await manager.findOneByOrFail(Piece, { id: pieceId });
    piece.redo = [
      ...piece.redo,
      ...line
        .slice(at)
        .map((s) => s.id)
        .reverse(),
    ];
    piece.stateId = line[at - 1].id;
    await manager.save(piece);
  }

  private async changed(pieceId: string): Promise<GuidedState> {
    await this.step(pieceId);
    await this.queue.notify(CHANNELS.piece, pieceId);
    return this.view(pieceId);
  }

  private sweep(): void {
    this.db.manager
      .find(GuidedRun, { where: { paused: false }, select: { pieceId: true } })
      .then((runs) => runs.forEach((r) => this.drive(r.pieceId)))
      // Without a database there is nothing to drive; the next sweep looks again.
      .catch(() => undefined);
  }

  /** Takes the next step of a piece's run, if it has one; told again meanwhile, it looks once more afterwards. */
  private drive(pieceId: string): void {
    const busy = this.driving.get(pieceId);
    if (busy) {
      busy.again = true;
      return;
    }
    if (this.closed) return;
    const state = { again: false };
    this.driving.set(pieceId, state);
    this.step(pieceId)
      .catch((e: unknown) => this.closed || this.log.warn(`A guided run could not be looked at: ${String(e)}`))
      .finally(() => {
        this.driving.delete(pieceId);
        if (state.again) this.drive(pieceId);
      });
  }

  /** Queues what comes next, unless something runs. The piece is locked: two servers never queue the same twice. */
  private async step(pieceId: string): Promise<void> {
    if (!(await this.db.manager.existsBy(GuidedRun, { pieceId, paused: false }))) return;
    await this.alone(async (m) => {
      await lockPiece(pieceId, m);
      const run = await m.findOneBy(GuidedRun, { pieceId, paused: false });
      if (!run) return;
      const { move } = nextMove(memoryOf(run), pieceGround(await this.facts(run)));
      if (move.kind !== 'run') return;
      const { operationId, params } = move;
      const step = await inTheNameOf(run.by, () => this.steps.enqueue(pieceId, operationId, params, 1, undefined, m));
      await m.update(GuidedRun, { pieceId }, { steps: [...run.steps, step.id] });
    });
  }

  private async facts(run: Pick<GuidedRun, 'pieceId' | 'steps' | 'sinceNumber'>): Promise<PieceFacts> {
    const { pieceId } = run;
    const [view, { before, current }, steps] = await Promise.all([
      this.pieces.view(pieceId),
      this.store.line(pieceId),
      this.db.manager.find(Step, { where: { pieceId }, order: { number: 'ASC' } }),
    ]);
    return { run, view, stats: this.pieces.statsOf(view), states: [...before, ...(current ? [current] : [])], steps };
  }

  private async viewOf(run: GuidedRun, facts: PieceFacts, { move, standing, stops }: Outlook): Promise<GuidedView> {
    const { steps } = facts;
    const past = await this.pastRuns();
    const points = facts.view.scanList.reduce((n, s) => n + Number(s.original.facts.points ?? 0), 0);
    const open = steps.find((s) => s.status === 'running') ?? steps.find((s) => s.status === 'queued');
    const way = standing.map(({ step: { operation }, state, by }): GuidedStepView => {
      const running = open?.operationId === operation ? open : undefined;
      const did = steps.find((s) => s.id === (running?.id ?? by?.id));
      const { title, stage } = findOperation(operation);
      const seconds = by && !running && did ? secondsOf(did) : likelySeconds(operation, points, past);
      return {
        operationId: operation,
        title,
        stage,
        state: running ? 'running' : state,
        stepId: did?.id ?? null,
        seconds,
      };
    });
    const secondsLeft = way
      .filter((w) => w.state === 'running' || w.state === 'open')
      .reduce((sum, w) => sum + w.seconds * (w.state === 'running' ? 1 - (open?.progress ?? 0) : 1), 0);
    const status = statusOf(run, move);
    return {
      answers: run.answers,
      recipe: run.recipe?.title || run.recipe?.name || null,
      status,
      now: sentence(status, move, open),
      way,
      secondsLeft,
      stop: move.kind === 'ask' ? move.stop : null,
      decided: stops.flatMap((stop) => (run.decided[stop.key] ? [{ stop, choice: run.decided[stop.key] }] : [])),
      verdict: move.kind === 'done' ? move.verdict : null,
    };
  }

  /** The newest runs of all operations on this database, with the size of their pieces. */
  private pastRuns(): Promise<PastRun[]> {
    return this.db.query(
      `SELECT s.operation_id AS "operationId", extract(epoch FROM s.finished_at - s.started_at)::float8 AS seconds, p.points
       FROM (SELECT * FROM step WHERE status = 'done' ORDER BY number DESC LIMIT $1) s
       JOIN (SELECT c.piece_id, sum((a.facts->>'points')::float8) AS points
             FROM scan c JOIN artifact a ON a.id = c.original_id GROUP BY c.piece_id) p ON p.piece_id = s.piece_id
       ORDER BY s.number DESC`,
      [PAST_RUNS],
    );
  }
}

const memoryOf = ({ answers, decided, leftOut, recipe }: GuidedRun): GuideMemory => ({
  answers,
  decided,
  leftOut,
  ...(recipe ? { recipe } : {}),
});

const secondsOf = ({ startedAt, finishedAt }: Step): number =>
  startedAt && finishedAt ? (finishedAt.getTime() - startedAt.getTime()) / 1000 : 0;

async function newestNumber(pieceId: string, manager: EntityManager): Promise<number> {
  return (await manager.maximum(Step, 'number', { pieceId })) ?? 0;
}

function statusOf(run: GuidedRun, move: Move): GuidedStatus {
  if (move.kind === 'done') return 'done';
  if (move.kind === 'wait' && move.for === 'scans') return 'waiting-for-scans';
  if (move.kind === 'wait') return 'working';
  if (run.paused || move.kind === 'went-back') return 'paused';
  return move.kind === 'ask' ? 'asking' : 'working';
}

/** What a run does, as a person would say it. */
function sentence(status: GuidedStatus, move: Move, open: Step | undefined): string {
  if (status === 'done') return 'The model is ready.';
  if (status === 'waiting-for-scans') return 'It begins as soon as there are scans.';
  if (move.kind === 'went-back') return 'Somebody went back a step. Go on from there, or redo what was undone.';
  if (status === 'paused') return 'Paused: nothing more is done until you go on.';
  if (move.kind === 'ask') return 'It waits for you.';
  const { title } = open
    ? findOperation(open.operationId)
    : move.kind === 'run'
      ? findOperation(move.operationId)
      : { title: '' };
  return title
    ? `${title}: ${open?.progressStage || (open?.status === 'queued' ? 'waits for its turn' : 'under way')}`
    : 'Under way.';
}
